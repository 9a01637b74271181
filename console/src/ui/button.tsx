import type { ComponentProps } from "react";

const looks = {
  plain: "border-brass text-brass hover:bg-brass/10",
  primary: "bg-brass text-on-brass border-brass hover:brightness-110",
};

type ButtonProps = ComponentProps<"button"> & { primary?: boolean };

/** A button. Everything that a button of the browser takes is handed on, so that it can be the trigger of a dialogue. */
export function Button({ primary, type = "button", className = "", ...rest }: ButtonProps) {
  return (
    <button
      type={type}
      {...rest}
      className={`${looks[primary ? "primary" : "plain"]} rounded-sm border px-3 py-1 font-semibold whitespace-nowrap disabled:border-hairline disabled:bg-transparent disabled:text-second ${className}`}
    />
  );
}

/** A button that stands in a text, and looks like a way to somewhere. */
export function TextButton({ type = "button", className = "", ...rest }: ComponentProps<"button">) {
  return <button type={type} {...rest} className={`font-semibold text-brass hover:underline ${className}`} />;
}

import { NavLink } from "react-router";

/** The parts of a place, of which one is shown. */
export function Parts({ label, parts }: { label: string; parts: { to: string; name: string }[] }) {
  return (
    <nav aria-label={label} className="mb-3 flex flex-wrap gap-x-5 border-b border-hairline">
      {parts.map((part) => (
        <NavLink
          key={part.to}
          to={part.to}
          className={({ isActive }) =>
            `-mb-px border-b-2 py-1 whitespace-nowrap hover:no-underline ${isActive ? "border-brass font-semibold" : "border-transparent text-second hover:text-ink"}`
          }
        >
          {part.name}
        </NavLink>
      ))}
    </nav>
  );
}

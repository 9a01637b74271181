import { useState } from "react";

type Theme = "light" | "dark";

const chosen = (): Theme => {
  const kept = localStorage.getItem("theme");
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
};

function put(theme: Theme) {
  document.documentElement.dataset.theme = theme;
}

/** Puts the theme on before anything is drawn, the sign-in too. */
export function startTheme() {
  put(chosen());
}

/** The theme, and the way to the other one. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState(chosen);
  const toggle = () => {
    const next = theme === "dark" ? "light" : "dark";
    localStorage.setItem("theme", next);
    put(next);
    setTheme(next);
  };
  return [theme, toggle];
}

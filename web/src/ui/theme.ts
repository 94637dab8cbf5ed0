import { useEffect, useState } from "react";

export type Theme = "system" | "chart" | "watch";
const KEY = "trochos-theme";

function stored(): Theme {
  try {
    const value = localStorage.getItem(KEY);
    return value === "chart" || value === "watch" ? value : "system";
  } catch {
    return "system";
  }
}

function apply(theme: Theme): void {
  if (theme === "system") document.documentElement.removeAttribute("data-theme");
  else document.documentElement.setAttribute("data-theme", theme);
}

/** The theme: the system's, or the light or dark one by choice, kept in this browser. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(stored);
  useEffect(() => apply(theme), [theme]);
  const next = () => {
    const following: Record<Theme, Theme> = { system: "chart", chart: "watch", watch: "system" };
    const chosen = following[theme];
    setTheme(chosen);
    try {
      if (chosen === "system") localStorage.removeItem(KEY);
      else localStorage.setItem(KEY, chosen);
    } catch {
      // Without storage the choice lasts as long as the page.
    }
  };
  return [theme, next];
}

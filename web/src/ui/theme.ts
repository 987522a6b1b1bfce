const KEY = "trasloco-theme";
export type Theme = "day" | "dim" | "system";

export function rememberedTheme(): Theme {
  const kept = localStorage.getItem(KEY);
  return kept === "day" || kept === "dim" ? kept : "system";
}

export function applyTheme(theme: Theme): void {
  if (theme === "system") {
    document.documentElement.removeAttribute("data-theme");
    localStorage.removeItem(KEY);
  } else {
    document.documentElement.setAttribute("data-theme", theme);
    localStorage.setItem(KEY, theme);
  }
}

/** What is on screen now, whoever chose it. */
export function shownTheme(): "day" | "dim" {
  const set = document.documentElement.getAttribute("data-theme");
  if (set === "day" || set === "dim") return set;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dim" : "day";
}

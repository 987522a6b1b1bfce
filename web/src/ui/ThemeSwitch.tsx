import { useState } from "react";

import { applyTheme, shownTheme } from "./theme";

export function ThemeSwitch() {
  const [theme, setTheme] = useState(shownTheme());
  const other = theme === "day" ? "dim" : "day";
  return (
    <button
      className="text-soft hover:text-base-content hover:underline"
      onClick={() => {
        applyTheme(other);
        setTheme(other);
      }}
    >
      {other === "dim" ? "Dim" : "Day"}
    </button>
  );
}

import { useEffect, useState } from "react";
import { database } from "../data/database";

export type Theme = "paper" | "dim";

const query = window.matchMedia("(prefers-color-scheme: dark)");

function apply(theme: Theme): void {
  document.documentElement.dataset.bsTheme = theme === "dim" ? "dark" : "light";
  document.documentElement.dataset.theme = theme;
}

/** The theme in force: the system's until the user chose one. */
export function useTheme(): [Theme, (theme: Theme) => void] {
  const [chosen, setChosen] = useState<Theme>();
  const [system, setSystem] = useState<Theme>(query.matches ? "dim" : "paper");
  const theme = chosen ?? system;

  useEffect(() => {
    void database.settings.get("theme").then((stored) => {
      if (stored?.value === "paper" || stored?.value === "dim") setChosen(stored.value);
    });
    const follow = () => setSystem(query.matches ? "dim" : "paper");
    query.addEventListener("change", follow);
    return () => query.removeEventListener("change", follow);
  }, []);

  useEffect(() => apply(theme), [theme]);

  return [
    theme,
    (next) => {
      setChosen(next);
      void database.settings.put({ key: "theme", value: next });
    },
  ];
}

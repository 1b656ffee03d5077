import { BrushCleaning, ChartColumn, Clapperboard, Cpu, Gauge, HardDrive, Keyboard, Moon, Sun } from "lucide-react";
import { NavLink } from "react-router";
import { showShortcuts } from "./shortcuts";
import { useTheme } from "./theme";
import "./Rail.css";

const SCREENS = [
  { to: "/bench", label: "Bench", icon: Gauge },
  { to: "/machine", label: "Machine", icon: Cpu },
  { to: "/storage", label: "Storage", icon: HardDrive },
  { to: "/preview", label: "Preview", icon: Clapperboard },
  { to: "/sweep", label: "Sweep", icon: BrushCleaning },
  { to: "/takes", label: "Takes", icon: ChartColumn },
];

/** The way from screen to screen. */
export function Rail() {
  const [theme, setTheme] = useTheme();
  const other = theme === "paper" ? "dim" : "paper";
  return (
    <nav className="rail" aria-label="Screens">
      <div className="rail-sign" aria-hidden="true">
        <svg viewBox="0 0 32 24" width="30">
          <rect x="3" y="2" width="26" height="20" rx="3" fill="none" stroke="currentColor" strokeWidth="2" />
          <rect x="7.5" y="7" width="5" height="10" className="rail-accent" />
          <rect x="15" y="7" width="3.5" height="10" fill="currentColor" />
          <rect x="20.5" y="7" width="3.5" height="10" fill="currentColor" opacity="0.6" />
        </svg>
      </div>
      {SCREENS.map(({ to, label, icon: Icon }) => (
        <NavLink key={to} to={to} className="rail-item">
          <Icon size="1.25rem" aria-hidden="true" />
          {label}
        </NavLink>
      ))}
      <button type="button" className="rail-item rail-end" onClick={showShortcuts}>
        <Keyboard size="1.125rem" aria-hidden="true" />
        Keys
      </button>
      <button
        type="button"
        className="rail-item"
        onClick={() => setTheme(other)}
        aria-label={`Switch to the ${other} theme`}
      >
        {theme === "paper" ? <Moon size="1.125rem" aria-hidden="true" /> : <Sun size="1.125rem" aria-hidden="true" />}
        {other === "dim" ? "Dim" : "Paper"}
      </button>
    </nav>
  );
}

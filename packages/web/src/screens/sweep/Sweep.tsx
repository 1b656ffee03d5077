import { NavLink, Navigate, Route, Routes } from "react-router";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { FoldersPanel } from "./FoldersPanel";
import { HoldingPanel } from "./HoldingPanel";
import { LedgerPanel } from "./LedgerPanel";
import { RulesPanel } from "./RulesPanel";
import { WrapPanel } from "./WrapPanel";

const PANELS = [
  { path: "ledger", label: "Ledger", element: <LedgerPanel /> },
  { path: "folders", label: "Folders", element: <FoldersPanel /> },
  { path: "rules", label: "Rules", element: <RulesPanel /> },
  { path: "holding", label: "Holding", element: <HoldingPanel /> },
  { path: "wrap", label: "Wrap", element: <WrapPanel /> },
];

// The ledger itself listens to them, while it has the focus.
const SHORTCUTS = [
  { keys: ["ArrowUp", "ArrowDown"], label: "Go through the ledger, line by line" },
  { keys: ["PageUp", "PageDown", "Home", "End"], label: "Farther" },
  { keys: ["ArrowRight", "ArrowLeft"], label: "Open and close a line" },
  { keys: [" "], label: "Select a line, or leave it out" },
];

/** Stale cache files: see them, move them to holding, get them back, let them go, keep them away. */
export function Sweep() {
  return (
    <main className="page sweep">
      <nav className="sweep-nav" aria-label="Sweep">
        {PANELS.map(({ path, label }) => (
          <NavLink key={path} to={`/sweep/${path}`}>
            {label}
          </NavLink>
        ))}
      </nav>
      <Routes>
        {PANELS.map(({ path, element }) => (
          <Route key={path} path={path} element={element} />
        ))}
        <Route path="*" element={<Navigate to="/sweep/ledger" replace />} />
      </Routes>
      <ShortcutsSheet shortcuts={SHORTCUTS} title="Sweep" />
    </main>
  );
}

import { Suspense } from "react";
import { NavLink, Navigate, Route, Routes } from "react-router";
import { useSweepChanges } from "../../data/sweepChanges";
import { screen } from "../../parts/screen";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { Waiting } from "../../parts/Waiting";
import { FoldersPanel } from "./FoldersPanel";
import { HoldingPanel } from "./HoldingPanel";
import { LedgerPanel } from "./LedgerPanel";
import { WrapPanel } from "./WrapPanel";
import "./Sweep.css";

// With the editor of the rule file, which is as large as all the rest.
const RulesPanel = screen(async () => (await import("./RulesPanel")).RulesPanel);

const PANELS = [
  { path: "ledger", label: "Ledger", element: <LedgerPanel /> },
  { path: "folders", label: "Folders", element: <FoldersPanel /> },
  { path: "rules", label: "Rules", element: <RulesPanel /> },
  { path: "holding", label: "Holding", element: <HoldingPanel /> },
  { path: "wrap", label: "Wrap", element: <WrapPanel /> },
];

// The ledger itself listens to them, while it has the focus.
const SHORTCUTS = [
  { keys: ["arrowup", "arrowdown"], label: "Go through the ledger, line by line" },
  { keys: ["pageup", "pagedown", "home", "end"], label: "Farther" },
  { keys: ["arrowright", "arrowleft"], label: "Open and close a line" },
  { keys: ["space"], label: "Select a line, or leave it out" },
];

/** Stale cache files: see them, move them to holding, get them back, let them go, keep them away. */
export function Sweep() {
  useSweepChanges();
  return (
    <main className="page sweep">
      <nav className="sweep-nav" aria-label="Sweep">
        {PANELS.map(({ path, label }) => (
          <NavLink key={path} to={`/sweep/${path}`}>
            {label}
          </NavLink>
        ))}
      </nav>
      <Suspense fallback={<Waiting for="Opening…" />}>
        <Routes>
          {PANELS.map(({ path, element }) => (
            <Route key={path} path={path} element={element} />
          ))}
          <Route path="*" element={<Navigate to="/sweep/ledger" replace />} />
        </Routes>
      </Suspense>
      <ShortcutsSheet shortcuts={SHORTCUTS} title="Sweep" />
    </main>
  );
}

import { Suspense, useEffect } from "react";
import { BrowserRouter, Navigate, Route, Routes, useLocation } from "react-router";
import { useContention } from "./data/contention";
import { send, useEngine } from "./data/engineStore";
import { useCompositionReport } from "./data/compositionReport";
import { liveMachine } from "./data/liveMachine";
import { WorkspaceProvider } from "./data/workspace";
import { BudgetStrip } from "./parts/BudgetStrip";
import { EngineFault } from "./parts/EngineFault";
import { JobDrawer } from "./parts/JobDrawer";
import { Notices } from "./parts/Notices";
import { Rail } from "./parts/Rail";
import { screen } from "./parts/screen";
import { ServerGone } from "./parts/ServerGone";
import { Waiting } from "./parts/Waiting";
import { Preview } from "./screens/preview/Preview";
import "./App.css";

const Bench = screen(async () => (await import("./screens/bench/Bench")).Bench);
const Machine = screen(async () => {
  liveMachine.lookAhead();
  return (await import("./screens/machine/Machine")).Machine;
});
const Storage = screen(async () => (await import("./screens/storage/Storage")).Storage);
const Takes = screen(async () => (await import("./screens/takes/Takes")).Takes);
const Sweep = screen(async () => (await import("./screens/sweep/Sweep")).Sweep);

/** Anything the user does makes background rendering wait anew. */
function useTouch(): void {
  useEffect(() => {
    const touch = () => send({ kind: "touch" });
    const kinds = ["pointerdown", "keydown", "wheel"] as const;
    kinds.forEach((kind) => window.addEventListener(kind, touch, { capture: true, passive: true }));
    return () => kinds.forEach((kind) => window.removeEventListener(kind, touch, { capture: true }));
  }, []);
}

/** Tells the server of the compositions, and the engine of others on the machine; shows nothing. */
function CompositionReport() {
  useCompositionReport();
  useContention();
  return null;
}

const screenOf = (pathname: string) => pathname.split("/", 2)[1];

/** The screen that is open. One whose code is not there yet says so at once, rather than leaving the last one on show. */
function Screens() {
  const { pathname } = useLocation();
  return (
    <Suspense key={screenOf(pathname)} fallback={<Waiting for="Opening…" />}>
      <Routes>
        <Route path="/preview" element={<Preview />} />
        <Route path="/bench" element={<Bench />} />
        <Route path="/machine" element={<Machine />} />
        <Route path="/storage" element={<Storage />} />
        <Route path="/takes" element={<Takes />} />
        <Route path="/sweep/*" element={<Sweep />} />
        <Route path="*" element={<Navigate to="/preview" replace />} />
      </Routes>
    </Suspense>
  );
}

export function App() {
  useTouch();
  const engine = useEngine((state) => state.engine);
  return (
    <BrowserRouter>
      <div className="frame">
        <Rail />
        <EngineFault />
        {/* Another engine is told all that the one before was told. */}
        <WorkspaceProvider key={engine} waiting={<Waiting for="Opening the compositions…" />}>
          <CompositionReport />
          <BudgetStrip />
          <Screens />
          <footer className="foot">
            <div>
              <ServerGone />
              <Notices />
            </div>
            <JobDrawer />
          </footer>
        </WorkspaceProvider>
      </div>
    </BrowserRouter>
  );
}

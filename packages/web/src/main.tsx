// The engine starts while the rest of the page is still made.
import "./data/engineStore";
import "@fontsource-variable/instrument-sans/index.css";
import "@fontsource-variable/spline-sans-mono/index.css";
import "bootstrap/dist/css/bootstrap.min.css";
import "./styles.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);

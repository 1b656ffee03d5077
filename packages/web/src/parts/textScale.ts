import { useSyncExternalStore } from "react";

const USUAL_PX = 16;

const read = (): number => Number.parseFloat(getComputedStyle(document.documentElement).fontSize) / USUAL_PX;

let scale: number | undefined;
const current = (): number => (scale ??= read());

/** A probe as wide as the reader's text is high changes its size when that does. */
function subscribe(onChange: () => void): () => void {
  const probe = document.createElement("div");
  probe.style.cssText = "position: fixed; visibility: hidden; width: 1rem";
  document.body.append(probe);
  const observer = new ResizeObserver(() => {
    scale = read();
    onChange();
  });
  observer.observe(probe);
  return () => {
    observer.disconnect();
    probe.remove();
  };
}

/** How large the reader has text, over the usual size: what is laid out or drawn by script grows with it, too. */
export function useTextScale(): number {
  return useSyncExternalStore(subscribe, current);
}

import { lazy, type ComponentType, type LazyExoticComponent } from "react";
import { Waiting } from "./Waiting";

const AGAIN_MS = 1000;

async function serverAnswers(): Promise<void> {
  for (;;) {
    if (await fetch("/api/machine", { method: "HEAD" }).catch(() => undefined)) return;
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
  }
}

/**
 * A screen whose code is loaded when it is opened. While the server is away it cannot be: it is loaded once the server is
 * back, and everything else goes on.
 */
export function screen(load: () => Promise<ComponentType>): LazyExoticComponent<ComponentType> {
  return lazy(async () => {
    const again = async () => {
      await serverAnswers();
      return load();
    };
    const missing = (error: unknown) => {
      console.error("A screen could not be loaded:", error);
      return () => <Waiting for="This screen could not be loaded; reload the page." />;
    };
    return { default: await load().catch(again).catch(missing) };
  });
}

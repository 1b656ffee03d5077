import { useEffect, useState } from "react";

/** Colours for what is drawn on a canvas, read from the theme in force. */
export interface Tokens {
  readonly sheet: string;
  readonly well: string;
  readonly ink: string;
  readonly ink2: string;
  readonly memory: string;
  readonly disk: string;
  readonly over: string;
  readonly cost: string;
}

function readTokens(): Tokens {
  const style = getComputedStyle(document.documentElement);
  const read = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    sheet: read("sheet"),
    well: read("well"),
    ink: read("ink"),
    ink2: read("ink-2"),
    memory: read("memory"),
    disk: read("disk"),
    over: read("over"),
    cost: read("cost"),
  };
}

/** The tokens of the theme in force; read anew only when the theme changes. */
export function useTokens(): Tokens {
  const [tokens, setTokens] = useState(readTokens);
  useEffect(() => {
    const observer = new MutationObserver(() => setTokens(readTokens()));
    observer.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => observer.disconnect();
  }, []);
  return tokens;
}

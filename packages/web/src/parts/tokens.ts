/** Colours for what is drawn on a canvas or by the chart package, read from the theme in force. */
export interface Tokens {
  readonly sheet: string;
  readonly well: string;
  readonly ink: string;
  readonly ink2: string;
  readonly rule: string;
  readonly memory: string;
  readonly disk: string;
  readonly over: string;
  readonly good: string;
  readonly cost: string;
}

export function readTokens(element: Element): Tokens {
  const style = getComputedStyle(element);
  const read = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    sheet: read("sheet"),
    well: read("well"),
    ink: read("ink"),
    ink2: read("ink-2"),
    rule: read("rule"),
    memory: read("memory"),
    disk: read("disk"),
    over: read("over"),
    good: read("good"),
    cost: read("cost"),
  };
}

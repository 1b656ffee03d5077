import { ITEM_KINDS, type ItemRule, type RuleFile } from "@kinetocache/core";
import { findNodeAtLocation, getLocation, parseTree } from "jsonc-parser";

/** What can stand at a place in the text of a rule file. */
export interface RuleFileCompletion {
  /** What of the text it replaces, in characters. */
  readonly from: number;
  readonly to: number;
  /** As they stand in the text. */
  readonly texts: readonly string[];
}

interface Part {
  /** Fields of an object, or what each entry of a list is. */
  readonly fields?: Readonly<Record<string, Part>>;
  readonly entry?: Part;
  /** The only values that it can have. */
  readonly values?: readonly (string | number)[];
}

const RULE: Readonly<Record<keyof ItemRule, Part>> = {
  name: {},
  kind: { values: ITEM_KINDS },
  item: { values: ["folder", "file"] },
  pattern: {},
  olderThanDays: {},
};

/** As in the schema, which a browser's build of Joi does not describe. */
export const RULE_FILE: Readonly<Record<keyof RuleFile, Part>> = {
  format: { values: ["kinetocache-rules"] },
  version: { values: [1] },
  items: { entry: { fields: RULE } },
  projectFiles: { entry: {} },
  media: { entry: {} },
};

/** Names of fields that are not there yet, or values that a field can have. @param offset of the cursor, in characters */
export function completeRuleFile(text: string, offset: number): RuleFileCompletion | undefined {
  const { path, previousNode, isAtPropertyKey } = getLocation(text, offset);
  const at = previousNode && offset >= previousNode.offset ? previousNode : undefined;
  const isIn = at !== undefined && offset <= at.offset + at.length;
  const [from, to] = isIn ? [at.offset, at.offset + at.length] : [offset, offset];
  const part = partAt(isAtPropertyKey ? path.slice(0, -1) : path);
  if (!part) return undefined;
  if (!isAtPropertyKey) {
    const texts = (part.values ?? []).map((value) => JSON.stringify(value));
    return texts.length > 0 ? { from, to, texts } : undefined;
  }
  const present = new Set(keysAt(text, path.slice(0, -1)));
  const typed = isIn ? text.slice(at.offset + 1, at.offset + at.length - 1) : undefined;
  const names = Object.keys(part.fields ?? {}).filter((name) => name === typed || !present.has(name));
  return names.length > 0 ? { from, to, texts: names.map((name) => JSON.stringify(name)) } : undefined;
}

function partAt(path: readonly (string | number)[]): Part | undefined {
  let part: Part | undefined = { fields: RULE_FILE };
  for (const step of path) part = typeof step === "number" ? part?.entry : part?.fields?.[step];
  return part;
}

function keysAt(text: string, path: (string | number)[]): string[] {
  const tree = parseTree(text);
  const node = tree && findNodeAtLocation(tree, path);
  return (node?.children ?? []).flatMap(({ children }) => (children?.[0]?.value as string | undefined) ?? []);
}

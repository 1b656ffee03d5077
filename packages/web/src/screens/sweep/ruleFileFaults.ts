import { ruleFileSchema, type RuleFile } from "@kinetocache/core";
import { findNodeAtLocation, parseTree, printParseErrorCode, type Node, type ParseError } from "jsonc-parser";

/** Something wrong with a rule file. */
export interface RuleFileFault {
  /** Line of the text, from 1. */
  readonly line: number;
  /** What it is about, in characters of the text. */
  readonly from: number;
  readonly to: number;
  readonly text: string;
}

// More at a time is not read.
const MOST = 5;

/** What is wrong with the text of a rule file, by line and by the name of the rule; or the file that it is. */
export function readRuleFile(
  text: string,
): { readonly file: RuleFile } | { readonly faults: readonly RuleFileFault[] } {
  const errors: ParseError[] = [];
  const tree = parseTree(text, errors, { disallowComments: true });
  const placeOf = ({ offset, length }: { readonly offset: number; readonly length: number }) => {
    // At the end of the text nothing is left to mark.
    const from = Math.min(offset, text.length);
    const to = Math.min(from + length, text.length);
    return { line: text.slice(0, from).split("\n").length, from, to };
  };
  if (errors.length > 0 || !tree)
    return {
      faults: errors.slice(0, 1).map(({ error, ...place }) => ({
        ...placeOf(place),
        text: `this is not JSON: ${plain(printParseErrorCode(error))}`,
      })),
    };
  const value = JSON.parse(text) as { readonly items?: readonly { readonly name?: unknown }[] };
  const { error } = ruleFileSchema.validate(value, {
    abortEarly: false,
    errors: { label: "key", wrap: { label: false } },
  });
  if (!error) return { file: value as RuleFile };
  return {
    faults: error.details.slice(0, MOST).map(({ path, message }) => ({
      ...placeOf(nearest(tree, path)),
      text: `${ruleName(value, path)}${message}`,
    })),
  };
}

/** "CommaExpected": "comma expected". */
function plain(code: string): string {
  return code.replace(/(?<=.)[A-Z]/g, (letter) => ` ${letter}`).toLowerCase();
}

/** What is at a path; where nothing is, what it is missing from. */
function nearest(tree: Node, path: readonly (string | number)[]): Node {
  for (let length = path.length; length > 0; length--) {
    const node = findNodeAtLocation(tree, path.slice(0, length));
    if (node) return node;
  }
  return tree;
}

function ruleName(
  { items }: { readonly items?: readonly { readonly name?: unknown }[] },
  [list, index]: readonly (string | number)[],
): string {
  if (list !== "items" || typeof index !== "number") return "";
  const name = items?.[index]?.name;
  return typeof name === "string" && name !== "" ? `rule "${name}": ` : `rule ${index + 1}: `;
}

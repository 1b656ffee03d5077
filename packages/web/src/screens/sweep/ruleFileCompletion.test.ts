import { ruleFileSchema } from "@kinetocache/core";
import { completeRuleFile, RULE_FILE } from "./ruleFileCompletion";

/** What is offered where the text has a bar. */
function offered(marked: string): { readonly texts: readonly string[]; readonly replaced: string } | undefined {
  const offset = marked.indexOf("|");
  const text = marked.slice(0, offset) + marked.slice(offset + 1);
  const found = completeRuleFile(text, offset);
  return found && { texts: found.texts, replaced: text.slice(found.from, found.to) };
}

test("fields of the file and of a rule are offered, apart from those that are there", () => {
  expect(offered('{ "format": "kinetocache-rules", | }')).toEqual({
    texts: ['"version"', '"items"', '"projectFiles"', '"media"'],
    replaced: "",
  });
  expect(offered('{ "items": [{ "name": "x", "k|" }] }')).toEqual({
    texts: ['"kind"', '"item"', '"pattern"', '"olderThanDays"'],
    replaced: '"k"',
  });
  // The one that the cursor is in is not in its own way.
  expect(offered('{ "items": [{ "name|": "x" }] }')?.texts).toContain('"name"');
});

test("values are offered where there are just some", () => {
  expect(offered('{ "items": [{ "item": "|" }] }')).toEqual({ texts: ['"folder"', '"file"'], replaced: '""' });
  expect(offered('{ "items": [{ "kind": | }] }')?.texts).toContain('"frames"');
  expect(offered('{ "format": "|" }')?.texts).toEqual(['"kinetocache-rules"']);
  expect(offered('{ "items": [{ "pattern": "|" }] }')).toBeUndefined();
});

test("where nothing of the schema can stand nothing is offered", () => {
  expect(offered('{ "herons": { | } }')).toBeUndefined();
  expect(offered("|")).toBeUndefined();
});

test("what is offered is what the schema takes", () => {
  interface Description {
    readonly keys?: Readonly<Record<string, Description>>;
    readonly items?: readonly Description[];
    readonly flags?: { readonly only?: boolean };
    readonly allow?: readonly unknown[];
  }
  const partOf = ({ keys, items, flags, allow }: Description): object => ({
    ...(keys ? { fields: Object.fromEntries(Object.entries(keys).map(([name, one]) => [name, partOf(one)])) } : {}),
    ...(items ? { entry: partOf(items[0]!) } : {}),
    ...(flags?.only ? { values: allow } : {}),
  });
  expect({ fields: RULE_FILE }).toEqual(partOf(ruleFileSchema.describe() as Description));
});

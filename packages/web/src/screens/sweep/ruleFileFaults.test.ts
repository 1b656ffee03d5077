import { DEFAULT_RULE_FILE } from "@kinetocache/core";
import { readRuleFile } from "./ruleFileFaults";

const text = (change: object) => JSON.stringify({ ...DEFAULT_RULE_FILE, ...change }, null, 1);
const [first, second] = DEFAULT_RULE_FILE.items;
const faults = (of: string) => {
  const found = readRuleFile(of);
  return "faults" in found ? found.faults : [];
};

test("what ships has no fault", () => {
  expect(readRuleFile(text({}))).toEqual({ file: DEFAULT_RULE_FILE });
});

test("a fault is told with its line and the name of its rule", () => {
  const wrong = text({ items: [first, { ...second, kind: "sparrows" }] });
  const [fault, ...others] = faults(wrong);
  expect(others).toEqual([]);
  expect(fault!.text).toMatch(new RegExp(`^rule "${second!.name}": kind must be one of \\[frames`));
  expect(wrong.split("\n")[fault!.line - 1]).toContain("sparrows");
  expect(wrong.slice(fault!.from, fault!.to)).toBe('"sparrows"');
});

test("what is missing is told where it is missing; a rule without a name by its number", () => {
  const { name: _, ...nameless } = second!;
  const wrong = text({ items: [first, nameless] });
  const [fault] = faults(wrong);
  expect(fault!.text).toBe("rule 2: name is required");
  expect(wrong.split("\n")[fault!.line]).toContain(`"kind": "${second!.kind}"`);
  const pattern = faults(text({ items: [{ ...first, pattern: "**/{owner}/x" }] }))[0]!;
  expect(pattern.text).toContain(`rule "${first!.name}": pattern`);
  expect(pattern.text).toContain("{owner} is not known");
});

test("what is no JSON is told with the line", () => {
  expect(faults('{\n "format": "kinetocache-rules"\n "version": 1\n}')).toEqual([
    { line: 3, from: 34, to: 43, text: "this is not JSON: comma expected" },
  ]);
  expect(faults("")).toHaveLength(1);
  expect(faults("[]")[0]!.line).toBe(1);
});

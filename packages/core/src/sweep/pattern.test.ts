import fc from "fast-check";
import { anyOf, compilePattern, PatternError } from "./pattern";

const read = (pattern: string, path: string) => compilePattern(pattern).match(path);

test.each([
  ["**/{project}/cache", "shows/Flyway 101/cache", { project: "Flyway 101" }],
  ["**/{project}/cache", "Flyway 101/Cache", { project: "Flyway 101" }],
  ["**/{project}/cache", "cache", undefined],
  ["**/{project} v{version}/{cache,frames}", "a/b/Titles v12/frames", { project: "Titles", version: 12 }],
  ["**/*.log", "render.log", {}],
  ["**/*.log", "a/b/render.LOG", {}],
  ["*.log", "a/render.log", undefined],
  ["**/tmp/**", "a/tmp/b/c", {}],
  ["**/tmp/**", "a/tmp", undefined],
  ["**/{*.tmp,~*}", "a/~lock", {}],
  ["a?c/[x].(y)+$", "abc/[x].(y)+$", {}],
  ["cache", "a/cache", undefined],
  ["**/{project}.cache", "x/line\nbreak.cache", { project: "line\nbreak" }],
])("%s reads %s", (pattern, path, expected) => {
  expect(read(pattern, path)).toEqual(expected);
});

test.each([
  ["", "is a path below the folder"],
  ["/a", "is a path below the folder"],
  ["a/", "is a path below the folder"],
  ["a//b", "is no name"],
  ["a/../b", "is no name"],
  ["{owner}", "{owner} is not known"],
  ["a{b", "stands alone"],
  ["a}b", "stands alone"],
  ["{project}/{project}", "may each stand once"],
  ["**/a/**/b/**", 'at most 2 "**"'],
  ["**/*a*a*a*b", "at most 2 of"],
  ["{project}*x*", "at most 2 of"],
  ["{a*b*,c}*", "at most 2 of"],
])("%s is refused with what is wrong", (pattern, words) => {
  expect(() => compilePattern(pattern)).toThrow(PatternError);
  expect(() => compilePattern(pattern)).toThrow(words);
});

test("whatever pattern is taken, a path made to be hard for it is compared to its end", () => {
  const long = `${"a".repeat(255)}/`.repeat(15);
  const deep = "a/".repeat(2000);
  for (const pattern of ["**/*a*b/**", "**/a*b/**/c", "**/{project}a*/b"])
    for (const path of [long, deep]) expect(compilePattern(pattern).match(`${path}c`)).toBeUndefined();
});

const parts = fc.constantFrom("a", "A", "b.log", "tmp", "x v2", "cache");
const patterns = fc.constantFrom(
  "**/*.log",
  "*.log",
  "**/{project}/cache",
  "**/tmp/**",
  "**/{project} v{version}/{a,cache}",
  "a/*",
  "{a,b.log}",
  "**/**",
  "tmp/**/a",
);

test("asked by folder and name a pattern says the same as of the whole path", () => {
  fc.assert(
    fc.property(fc.array(parts, { minLength: 1, maxLength: 5 }), patterns, (path, source) => {
      const pattern = compilePattern(source);
      const inside = pattern.within(path.slice(0, -1).join("/"));
      const whole = pattern.match(path.join("/"));
      // Of several ways to read a project from a path, any will do.
      expect(inside?.match(path.at(-1)!) !== undefined).toBe(whole !== undefined);
    }),
  );
});

test("a name fits any of several patterns when it fits one of them", () => {
  const names = fc.constantFrom("*.log", "*.Project.json", "footage", "{Stills,audio}", "~*", "x?", "{project}.proj");
  const asked = fc.constantFrom(
    "a.log",
    "A.LOG",
    "x.project.json",
    "Footage",
    "stills",
    "~x",
    "xy",
    "a.proj",
    "ä.ß",
    "",
  );
  fc.assert(
    fc.property(fc.array(names, { minLength: 1 }), asked, (sources, name) => {
      const inside = sources.map((source) => compilePattern(source).within("")!);
      const test = anyOf(inside)!;
      expect(test(name)).toBe(inside.some((one) => one.match(name) !== undefined));
      if (test(name)) expect(test.mayEndWith(name.charCodeAt(name.length - 1))).toBe(true);
    }),
  );
  expect(anyOf([])).toBeUndefined();
});

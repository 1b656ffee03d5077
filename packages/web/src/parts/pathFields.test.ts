import type Joi from "joi";
import { fullPath, fullPaths, pathInside, pathsOf } from "./pathFields";

const faultOf = (schema: Joi.Schema, value: unknown) => schema.validate(value).error?.message;
const valueOf = (schema: Joi.Schema, value: unknown) => schema.validate(value).value as unknown;

test("a full path is one on any system, without the blanks around it", () => {
  for (const path of ["/mnt/fast", "C:\\Caches", "d:/caches", "\\\\server\\caches"])
    expect(valueOf(fullPath, ` ${path} `)).toBe(path);
  expect(faultOf(fullPath, "  ")).toBe("A full path is needed, such as /mnt/fast/caches");
  for (const path of ["caches", "./caches", "~/caches", "c:caches"])
    expect(faultOf(fullPath, path)).toBe("This is no full path, such as /mnt/fast/caches");
});

test("of several paths the one that is wrong is named", () => {
  expect(pathsOf(" /a \n\n/b\n")).toEqual(["/a", "/b"]);
  expect(faultOf(fullPaths, "")).toBeUndefined();
  expect(faultOf(fullPaths, "/a\n\n/b")).toBeUndefined();
  expect(faultOf(fullPaths, "/a\nb")).toBe('"b" is no full path, such as /mnt/fast/caches');
});

test("a path inside a folder does not lead out of it", () => {
  expect(valueOf(pathInside, " /Flyway 101/cache/ ")).toBe("Flyway 101/cache");
  expect(faultOf(pathInside, "//")).toBe("The path of a folder below this one is needed");
  expect(faultOf(pathInside, "../projects")).toMatch(/without \. or \.\./);
  expect(faultOf(pathInside, "a..b/..c")).toBeUndefined();
});

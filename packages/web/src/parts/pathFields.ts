import Joi from "joi";

const FULL = /^(\/|[A-Za-z]:[\\/]|\\\\)/;
const EXAMPLE = "such as /mnt/fast/caches";

/** One path a line. */
export function pathsOf(text: string): string[] {
  return text
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean);
}

/** A folder as it is typed, by its full path. */
export const fullPath = Joi.string()
  .trim()
  .pattern(FULL)
  .required()
  .messages({
    "string.empty": `A full path is needed, ${EXAMPLE}`,
    "string.pattern.base": `This is no full path, ${EXAMPLE}`,
  });

/** Folders, one a line, or none. */
export const fullPaths = Joi.string()
  .allow("")
  .custom((text: string, { message }: Joi.CustomHelpers) => {
    const wrong = pathsOf(text).find((path) => !FULL.test(path));
    return wrong === undefined ? text : message({ custom: `"{{#wrong}}" is no full path, ${EXAMPLE}` }, { wrong });
  })
  .required();

/** A folder below another one; without the slashes around it. */
export const pathInside = Joi.string()
  .trim()
  .replace(/^\/+|\/+$/g, "")
  .custom((path: string, { message }: Joi.CustomHelpers) =>
    path.split("/").some((part) => part === "." || part === "..")
      ? message({ custom: "Give a path inside the folder, without . or .." })
      : path,
  )
  .required()
  .messages({ "string.empty": "The path of a folder below this one is needed" });

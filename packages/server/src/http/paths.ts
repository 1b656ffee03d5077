import Joi from "joi";

// What the system takes, in bytes of UTF-8 (limits.h).
const LONGEST_PATH = 4096;
const LONGEST_NAME = 255;

/** Why the system cannot take a path; undefined when it can. */
export function pathFault(path: string): string | undefined {
  // There may be hundreds of thousands of them, most of them short; a character takes three bytes at most.
  if (path.length * 3 <= LONGEST_NAME && !path.includes("\0")) return undefined;
  if (path.includes("\0")) return "holds a NUL character, which no path does";
  if (Buffer.byteLength(path) >= LONGEST_PATH) return `is longer than ${LONGEST_PATH} bytes`;
  const long = path.split("/").find((name) => Buffer.byteLength(name) > LONGEST_NAME);
  return long && `holds a name of more than ${LONGEST_NAME} bytes, "${long.slice(0, 20)}…"`;
}

/** A path as the user types it. */
export const pathSchema = Joi.string()
  .min(1)
  .custom((path: string, { message }: Joi.CustomHelpers) => {
    const fault = pathFault(path);
    return fault === undefined ? path : message({ custom: `{{#label}} ${fault}` });
  });

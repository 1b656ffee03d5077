import type Joi from "joi";

const MOST_FAULTS = 20;

function pathText(path: readonly (string | number)[], whole: string): string {
  const text = path.reduce<string>(
    (before, part) => (typeof part === "number" ? `${before}[${part}]` : before ? `${before}.${part}` : part),
    "",
  );
  return text || whole;
}

/**
 * What a schema found, each fault with its place, at most 20.
 * @param whole name of the thing itself, for faults that lie nowhere inside it
 */
export function faultsOf({ details }: Joi.ValidationError, whole: string): string[] {
  return details
    .slice(0, MOST_FAULTS)
    .map(({ path, message }) => `${pathText(path, whole)}: ${message.replace(/^"[^"]*" /, "")}`);
}

/** Text of a file as JSON. @throws SyntaxError that says what is wrong with it */
export function readJson(text: string): unknown {
  try {
    return JSON.parse(text, (key, part: unknown) => {
      // Assigning this name would exchange an object's prototype unseen.
      if (key === "__proto__") throw new SyntaxError("__proto__: is not allowed as a name");
      return part;
    });
  } catch (cause) {
    const { message } = cause as Error;
    if (message.startsWith("__proto__")) throw cause;
    throw new SyntaxError(`The file is not JSON: ${message}`, { cause });
  }
}

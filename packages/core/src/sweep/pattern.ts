/** What a pattern read from a path. */
export interface PatternMatch {
  /** What stood for {project}; undefined when the pattern has none. */
  readonly project?: string;
  /** What stood for {version}, a number. */
  readonly version?: number;
}

/** A pattern for paths below a root, ready to be asked. */
export interface Pattern {
  readonly source: string;
  /** @param path with "/" between its parts, none at the start */
  match(path: string): PatternMatch | undefined;
  /**
   * The pattern for what lies directly in a folder: asked once a folder, so that its many files are told apart by their
   * names alone.
   * @param folder its path, "" for the root
   * @returns undefined where nothing directly in it matches
   */
  within(folder: string): NamePattern | undefined;
}

/** What is left of a pattern inside a folder. */
export interface NamePattern {
  /** Source of a regular expression without named groups. */
  readonly any: string;
  /** Where names need only be compared: whole ones, or how they end. In small letters. */
  readonly plain?: { readonly texts: readonly string[]; readonly isEnd: boolean };
  match(name: string): PatternMatch | undefined;
}

/** A pattern that cannot be read; the message says what is wrong and where. */
export class PatternError extends Error {}

const NAMED: Readonly<Record<string, string>> = {
  project: "(?<project>[^/]+?)",
  version: "(?<version>\\d{1,9})",
};

/** Whether a name fits. */
export interface NameTest {
  (name: string): boolean;
  /** Whether any name with this last character, by its code, can fit: that settles nearly all of them unread. */
  mayEndWith(code: number): boolean;
}

const combined = new Map<string, NameTest>();

/**
 * Tells whether a name fits any of the patterns; undefined where there are none. Names are compared as text as far as
 * that goes: it takes half the time of an expression, and a drive has hundreds of thousands of names.
 */
export function anyOf(patterns: readonly NamePattern[]): NameTest | undefined {
  if (patterns.length === 0) return undefined;
  const source = patterns.map(({ any }) => any).join("|");
  // Most folders ask the same.
  const known = combined.get(source);
  if (known) return known;
  const texts = (isEnd: boolean) => patterns.flatMap(({ plain }) => (plain?.isEnd === isEnd ? plain.texts : []));
  const [whole, ends] = [new Set(texts(false)), texts(true)];
  const others = patterns.filter(({ plain }) => !plain).map(({ any }) => any);
  const rest = others.length > 0 ? new RegExp(`^(?:${others.join("|")})$`, "isu") : undefined;
  // The last character settles nearly all names.
  const last = new Set([...whole, ...ends].flatMap((text) => codesOf(text.at(-1)!)));
  const test = (name: string) => {
    if (!last.has(name.charCodeAt(name.length - 1))) return rest?.test(name) ?? false;
    const small = name.toLowerCase();
    return whole.has(small) || ends.some((end) => small.endsWith(end)) || (rest?.test(name) ?? false);
  };
  const named = Object.assign(test, { mayEndWith: (code: number) => rest !== undefined || last.has(code) });
  combined.set(source, named);
  return named;
}

function codesOf(sign: string): number[] {
  return [sign.toLowerCase(), sign.toUpperCase()].map((one) => one.charCodeAt(one.length - 1));
}

/**
 * Reads a pattern. Parts of a path stand between "/"; `**` is any number of parts, `*` is anything within one, `?` is
 * one character, `{a,b}` is one of several, `{project}` and `{version}` are kept. Case does not count.
 * @throws PatternError
 */
export function compilePattern(source: string): Pattern {
  if (source === "" || source.startsWith("/") || source.endsWith("/"))
    throw new PatternError(`"${source}": a pattern is a path below the folder, such as **/{project}/cache`);
  const parts = source.split("/");
  checkEffort(parts, source);
  const body = parts.map((part, index) => {
    const isLast = index === parts.length - 1;
    if (part === "**") return isLast ? ".+" : "(?:[^/]+/)*?";
    if (part === "" || part === "." || part === "..")
      throw new PatternError(`"${source}": "${part}" is no name of a file or folder`);
    return partSource(part, source) + (isLast ? "" : "/");
  });
  const names = [...source.matchAll(/\{(project|version)\}/g)].map(([, name]) => name);
  if (new Set(names).size < names.length)
    throw new PatternError(`"${source}": {project} and {version} may each stand once`);
  const whole = new RegExp(`^${body.join("")}$`, "isu");
  const last = parts.at(-1) === "**" ? "[^/]+" : body.at(-1)!;
  // Below a last `**` everything matches, however deep.
  const above = `${body.slice(0, -1).join("")}${parts.at(-1) === "**" ? "(?:[^/]+/)*" : ""}`;
  const head = new RegExp(`^${above}$`, "isu");
  const name = new RegExp(`^${last}$`, "isu");
  const any = last.replace(/\?<[a-z]+>/g, "?:");
  const plain = plainNames(parts.at(-1)!);
  return {
    source,
    match(path) {
      const found = whole.exec(path);
      return found ? named(found.groups) : undefined;
    },
    within(folder) {
      const found = head.exec(folder === "" ? "" : `${folder}/`);
      if (!found) return undefined;
      const before = named(found.groups);
      return {
        any,
        plain,
        match(text) {
          const rest = name.exec(text);
          return rest ? { ...before, ...named(rest.groups) } : undefined;
        },
      };
    },
  };
}

// Each one more multiplies the ways to try a path by its length: with many a long path is tried for ever.
const MOST_FOLDERS = 2;
const MOST_STARS = 2;

/** @throws PatternError for a pattern that some paths would be compared with for too long */
function checkEffort(parts: readonly string[], source: string): void {
  if (parts.filter((part) => part === "**").length > MOST_FOLDERS)
    throw new PatternError(`"${source}": at most ${MOST_FOLDERS} "**" can be compared fast enough; leave some out`);
  for (const part of parts) {
    if (part === "**") continue;
    // Of a choice only one is tried at a time.
    const choices = [...part.matchAll(/\{([^{}]*)\}/g)].map(([, inner]) => inner!);
    const inChoices = choices.map((inner) => Math.max(...inner.split(",").map(starsIn)));
    const named = choices.filter((inner) => inner === "project").length;
    const stars = starsIn(part.replace(/\{[^{}]*\}/g, "")) + named + inChoices.reduce((sum, count) => sum + count, 0);
    if (stars > MOST_STARS)
      throw new PatternError(
        `"${source}": at most ${MOST_STARS} of "*" and {project} in one name ("${part}") can be compared fast enough; leave some out`,
      );
  }
}

function starsIn(text: string): number {
  return text.split("*").length - 1;
}

function plainNames(part: string): NamePattern["plain"] {
  const end = /^\*([^*?{}]+)$/.exec(part);
  if (end) return { texts: [end[1]!.toLowerCase()], isEnd: true };
  const choices = /^\{([^*?{}]+,[^*?{}]+)\}$/.exec(part)?.[1]!.split(",") ?? [part];
  return choices.some((one) => /[*?{}]/.test(one))
    ? undefined
    : { texts: choices.map((one) => one.toLowerCase()), isEnd: false };
}

function named(groups: Readonly<Record<string, string | undefined>> = {}): PatternMatch {
  const { project, version } = groups;
  return {
    ...(project === undefined ? {} : { project }),
    ...(version === undefined ? {} : { version: Number(version) }),
  };
}

function partSource(part: string, source: string): string {
  let made = "";
  for (let rest = part; rest !== "";) {
    const braces = /^\{([^{}]*)\}/.exec(rest);
    if (braces) {
      const named = NAMED[braces[1]!];
      const choices = braces[1]!.split(",");
      if (named === undefined && choices.length < 2)
        throw new PatternError(
          `"${source}": {${braces[1]}} is not known; {project}, {version} or a choice such as {cache,caches} is`,
        );
      made += named ?? `(?:${choices.map(literal).join("|")})`;
      rest = rest.slice(braces[0].length);
      continue;
    }
    const [sign] = rest;
    if (sign === "{" || sign === "}") throw new PatternError(`"${source}": "${sign}" stands alone in "${part}"`);
    made += sign === "*" ? "[^/]*" : sign === "?" ? "[^/]" : literal(sign!);
    rest = rest.slice(sign!.length);
  }
  return made;
}

function literal(text: string): string {
  return [...text].map((sign) => (sign === "*" ? "[^/]*" : sign.replace(/[\\^$.*+?()[\]{}|/]/g, "\\$&"))).join("");
}

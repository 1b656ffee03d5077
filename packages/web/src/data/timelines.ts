import type { ListedMedia } from "@kinetocache/core";

/** Whether a file holds a timeline of another program, by its name. */
export function isTimelineName(name: string): boolean {
  return /\.(otio|edl)$/i.test(name);
}

/** Whether its frames are counted at a rate that the file does not say. */
export function needsRate(name: string): boolean {
  return /\.edl$/i.test(name);
}

const lastOf = (path: string) => path.slice(path.lastIndexOf("/") + 1).toLowerCase();
const stemOf = (name: string) => name.replace(/\.[^.]*$/, "");

/**
 * Which listed file each name means: of the same name, whatever the case of its letters; or, as edit lists leave it out,
 * of the same name but for its ending. A name that several files have means none of them.
 */
export function filesNamed(names: readonly string[], listed: readonly ListedMedia[]): ReadonlyMap<string, ListedMedia> {
  const byName = grouped(listed, ({ path }) => lastOf(path));
  const byStem = grouped(listed, ({ path }) => stemOf(lastOf(path)));
  const found = names.flatMap((name) => {
    const plain = name.toLowerCase();
    const [file, ...others] = byName.get(plain) ?? byStem.get(plain) ?? [];
    return file && others.length === 0 ? [[name, file] as const] : [];
  });
  return new Map(found);
}

function grouped<T>(list: readonly T[], nameOf: (one: T) => string): ReadonlyMap<string, readonly T[]> {
  const groups = new Map<string, T[]>();
  for (const one of list) {
    const name = nameOf(one);
    const known = groups.get(name);
    if (known) known.push(one);
    else groups.set(name, [one]);
  }
  return groups;
}

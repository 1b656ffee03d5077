import type { FolderListing, FolderStart } from "@kinetocache/core";

/** What was listed, by the path that was asked for. */
export type Listings = ReadonlyMap<string, FolderListing>;

/** A folder in the tree; its id is its path, along links as they were followed. */
export interface FolderNode {
  readonly id: string;
  readonly name: string;
  readonly parent: string | null;
  readonly children: string[];
  readonly isBranch: boolean;
  readonly metadata: { readonly bytes?: number; readonly refusal?: string };
}

const separatorOf = (folder: string) => (/^[A-Za-z]:|^\\\\/.test(folder) ? "\\" : "/");

/** Path of a folder in a folder. */
export function pathBelow(folder: string, name: string): string {
  const separator = separatorOf(folder);
  return folder.endsWith(separator) ? folder + name : folder + separator + name;
}

/** The path of the folder that a folder lies in; undefined for the topmost. */
export function pathAbove(folder: string): string | undefined {
  const separator = separatorOf(folder);
  const end = folder.lastIndexOf(separator);
  const above = folder.slice(0, end);
  if (end === folder.length - 1) return undefined;
  return above === "" || above.endsWith(":") ? above + separator : above;
}

function isWithin(folder: string, start: string): boolean {
  return folder === start || folder.startsWith(pathBelow(start, ""));
}

/** The folders from a start down to one in it, both included. */
export function wayTo(start: string, folder: string): string[] {
  const way: string[] = [];
  for (let at: string | undefined = folder; at !== undefined && isWithin(at, start); at = pathAbove(at))
    way.unshift(at);
  return way;
}

/** Where looking for a folder begins: nearest above it, or else at home, or anywhere. */
export function startFor(starts: readonly FolderStart[], folder: string): string | undefined {
  const above = starts.map(({ path }) => path).filter((path) => isWithin(folder, path));
  const nearest = above.sort((a, b) => b.length - a.length)[0];
  return nearest ?? (starts.find(({ kind }) => kind === "home") ?? starts[0])?.path;
}

/** The tree below a start, as far as it was listed; its first node stands for what the start lies in. */
export function treeOf(start: string, listings: Listings): FolderNode[] {
  const nodes: FolderNode[] = [{ id: "", name: "", parent: null, children: [start], isBranch: true, metadata: {} }];
  const add = (id: string, name: string, parent: string, metadata: FolderNode["metadata"]) => {
    const listing = listings.get(id);
    const inside = (listing?.folders ?? []).map((folder) => ({ ...folder, id: pathBelow(id, folder.name) }));
    const children = inside.map((folder) => folder.id);
    nodes.push({ id, name, parent, children, isBranch: listing === undefined || children.length > 0, metadata });
    for (const { id: path, name: called, bytes, refusal } of inside) add(path, called, id, { bytes, refusal });
  };
  add(start, start, "", { refusal: listings.get(start)?.refusal });
  return nodes;
}

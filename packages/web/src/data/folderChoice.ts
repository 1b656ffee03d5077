import type { FolderListing, FolderStart, PlaceUse } from "@kinetocache/core";
import { json, read, request } from "./server";

const FOLDERS = "/api/folders";

/** Where looking for a folder can begin. @throws RequestError */
export const folderStarts = (): Promise<readonly FolderStart[]> => read(`${FOLDERS}/starts`);

/** The folders in a folder; those that cannot be used for something say why. @throws RequestError */
export function listFolders(path: string, use: PlaceUse | undefined): Promise<FolderListing> {
  return read(`${FOLDERS}?${new URLSearchParams({ path, ...(use ? { use } : {}) }).toString()}`);
}

/** @throws RequestError */
export async function makeFolder(parent: string, name: string): Promise<void> {
  await request(FOLDERS, json("POST", { parent, name }));
}

import type { Assignment, Role } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { database } from "./database";

async function readRoles(): Promise<Assignment> {
  return ((await database.settings.get("roles"))?.value ?? {}) as Assignment;
}

/** Which location has which role, beside that of the disk cache, which the preview settings say. */
export function useRoles(): Assignment | undefined {
  return useLiveQuery(readRoles);
}

/** @param location undefined takes the role from wherever it is */
export async function assignRole(role: Role, location: string | undefined): Promise<void> {
  await database.transaction("rw", database.settings, async () => {
    const { [role]: _before, ...others } = await readRoles();
    const value = location === undefined ? others : { ...others, [role]: location };
    await database.settings.put({ key: "roles", value });
  });
}

import { mkdirSync, rmdirSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { mountDrive, unmountDrive } from "./mounts";

const canMount = (() => {
  const tried = path.join(tmpdir(), `kinetocache-mount-${process.pid}`);
  mkdirSync(tried);
  const isAllowed = mountDrive(tried, "1M");
  unmountDrive(tried);
  rmdirSync(tried);
  return isAllowed;
})();

/** A test that needs drives of its own; not every user may have them. */
export const driveTest = canMount ? test : test.skip;

/** A test that becomes another user for a while; only the superuser can. */
export const otherUserTest = process.geteuid?.() === 0 ? test : test.skip;

const NOBODY = 65534;

/** Works as a user who owns nothing. */
export async function asNobody<T>(work: () => Promise<T>): Promise<T> {
  process.seteuid!(NOBODY);
  try {
    return await work();
  } finally {
    process.seteuid!(0);
  }
}

import { readdir } from "node:fs/promises";
import path from "node:path";
import { readFrame } from "@kinetocache/core";
import { BAKED_FRAMES, bakedPicture } from "../../../../testing/bakedSequence";
import { keyOf } from "../../../../testing/keys";
import { withFolder } from "../../../../testing/server";
import { buildTorn, killed } from "../../../../testing/torn";
import { Volume } from "../volumes/volume";
import { SequenceFolder } from "./sequenceFolder";

const KILLS = 32;

beforeAll(() => buildTorn("tornBaker"), 60_000);

/** Killed early, it has not made any. */
const foldersIn = (folder: string) =>
  readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== "ENOENT") throw error;
    return [];
  });

test(`killed at ${KILLS} instants, a bake is complete and whole, or a part that goes on where it was`, async () => {
  await withFolder(async (root) => {
    const stored = new Map<string, Set<number>>();
    const complete = new Set<string>();
    let parts = 0;
    for (let kill = 0; kill < KILLS; kill++) {
      for (const line of await killed("tornBaker", [root], (kill * 7.3) % 60)) {
        const [id, what] = line.split(" ") as [string, string];
        if (what === "complete") complete.add(id);
        else if (what === "removed") [stored, complete].forEach((known) => known.delete(id));
        else stored.set(id, (stored.get(id) ?? new Set()).add(Number(what)));
      }
      const volume = await Volume.open(root, { keptFree: 0 });
      expect(await readdir(path.join(root, "temporary"))).toEqual([]);
      const folder = await SequenceFolder.open(volume);
      const listed = folder.all().map(({ id }) => id);
      expect((await foldersIn(path.join(root, "sequences"))).sort()).toEqual(listed.sort());
      for (const sequence of folder.all()) {
        const state = sequence.state("main");
        const keys = new Map(sequence.keys());
        for (const number of stored.get(sequence.id) ?? []) expect(keys.get(number)).toBe(keyOf(number));
        if (complete.has(sequence.id)) expect(state.complete).toBe(true);
        if (state.complete) expect(keys.size).toBe(BAKED_FRAMES);
        else parts++;
        for (const [number, key] of keys) {
          expect(key).toBe(keyOf(number));
          expect(Buffer.compare(readFrame(await sequence.read(number)).pixels, bakedPicture(number).pixels)).toBe(0);
        }
      }
      for (const id of [...stored.keys(), ...complete]) expect(folder.get(id)).toBeDefined();
      await volume.close();
    }
    expect(parts).toBeGreaterThan(KILLS / 4);
  });
});

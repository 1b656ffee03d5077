import { mkdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { HeldItem } from "@kinetocache/core";
import { Holding } from "../packages/server/src/sweep/holding";

// Sweeps, brings back and empties again and again until it is killed, and says what there must be and what it begins.

const place = process.argv[2]!;
const COUNT = 120;

const say = (line: string) => process.stdout.write(`${line}\n`);
let serial = 0;

/** Files, and some folders with five files each. */
function make(): HeldItem[] {
  return Array.from({ length: COUNT }, (_, n) => {
    const isFolder = n % 6 === 0;
    const name = `${serial++}.${isFolder ? "d" : "f"}`;
    const to = path.join(place, name);
    if (isFolder) {
      mkdirSync(to);
      for (let part = 0; part < 5; part++) writeFileSync(path.join(to, String(part)), "x");
    } else writeFileSync(to, "x");
    return { path: name, isFolder, kind: "frames", project: "", bytes: 4096, files: isFolder ? 5 : 1 };
  });
}

const holding = Holding.open(place, ".holding");
const items = make();
const names = items.map((item) => item.path).join(" ");
// At one go: it may be killed as soon as it says that it is open.
say(`open\nall ${names}`);
for (;;) {
  say("sweeping");
  const { batch } = await holding.hold(items, "you");
  say("bringing back");
  await holding.restore(batch!.id);
  say("sweeping");
  const again = await holding.hold(items, "you");
  if (serial++ % 3 !== 0) {
    await holding.restore(again.batch!.id);
    continue;
  }
  say("emptying");
  await holding.empty(again.batch!.id);
  await new Promise(() => undefined);
}

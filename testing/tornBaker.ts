import { writeFrame } from "@kinetocache/core";
import { SequenceFolder } from "../packages/server/src/sequences/sequenceFolder";
import { Volume } from "../packages/server/src/volumes/volume";
import { isPicture } from "../packages/server/src/work/tasks";
import { BAKED_FRAMES, bakedPicture, describedBake } from "./bakedSequence";
import { keyOf } from "./keys";

// Bakes one sequence after the other until it is killed, going on with one that is not complete, and says of each
// picture when it is stored, and of each sequence when it is complete and when it is removed again.

const volume = await Volume.open(process.argv[2]!, { keptFree: 0 });
const folder = await SequenceFolder.open(volume);
process.stdout.write("open\n");
for (;;) {
  const part = folder.all().find((sequence) => !sequence.state("").complete);
  const sequence = part ?? (await folder.create(describedBake));
  const stored = new Map(sequence.keys());
  for (let number = 0; number < BAKED_FRAMES; number++) {
    if (stored.has(number)) continue;
    const file = writeFrame(bakedPicture(number), true);
    await sequence.write(
      number,
      keyOf(number),
      file.length,
      (async function* () {
        yield await Promise.resolve(file);
      })(),
    );
    process.stdout.write(`${sequence.id} ${number}\n`);
  }
  await sequence.complete(isPicture);
  process.stdout.write(`${sequence.id} complete\n`);
  // The one before goes: a kill may come in the middle of that too.
  const before = folder.all().find(({ id }) => id !== sequence.id);
  if (!before) continue;
  process.stdout.write(`${before.id} removed\n`);
  await folder.remove(before.id);
}

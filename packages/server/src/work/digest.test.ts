import { createHash } from "node:crypto";
import { readFileSync, truncateSync, writeFileSync } from "node:fs";
import { open } from "node:fs/promises";
import path from "node:path";
import { withFolder } from "../../../../testing/server";
import { digestFor } from "./digest";
import { Workers } from "./workers";

const LONG_BYTES = 2 ** 40;

/** A job that is steered by hand, and threads for it. */
function withJob(
  use: (job: { isPaused: boolean; cancel: AbortController }, ...rest: [Workers, string]) => Promise<void>,
): Promise<void> {
  return withFolder(async (folder) => {
    const workers = new Workers(2);
    try {
      await use({ isPaused: false, cancel: new AbortController() }, workers, folder);
    } finally {
      await workers.close();
    }
  });
}

const controlOf = (job: { isPaused: boolean; cancel: AbortController }) => ({
  isPaused: () => job.isPaused,
  signal: job.cancel.signal,
});

test("a file is copied and read with its checksum, however it is cut into pieces", () =>
  withJob(async (job, workers, folder) => {
    for (const bytes of [0, 1, 2 ** 20, 2 ** 20 + 1, 5_000_000]) {
      const content = Buffer.alloc(bytes, "Flyway");
      writeFileSync(path.join(folder, "a"), content);
      const [from, to] = [await open(path.join(folder, "a")), await open(path.join(folder, "b"), "w")];
      const sha256 = createHash("sha256").update(content).digest("hex");
      expect(await digestFor(controlOf(job), workers, { from, to })).toEqual({ sha256, bytes });
      expect(readFileSync(path.join(folder, "b")).equals(content)).toBe(true);
      expect([from.fd, to.fd]).toEqual([-1, -1]);
    }
  }));

test("while its job is paused nothing is read, and afterwards the rest", () =>
  withJob(async (job, workers, folder) => {
    writeFileSync(path.join(folder, "a"), "Flyway");
    job.isPaused = true;
    const looks: number[] = [];
    const from = await open(path.join(folder, "a"));
    const onBytes = (bytes: number) => {
      looks.push(bytes);
      job.isPaused = looks.length < 5;
    };
    expect((await digestFor(controlOf(job), workers, { from, onBytes })).bytes).toBe(6);
    expect(looks.slice(0, 5)).toEqual([0, 0, 0, 0, 0]);
  }));

test.each([false, true])("a job that is cancelled ends in the middle of a file (paused: %s)", (isPaused) =>
  withJob(async (job, workers, folder) => {
    const file = path.join(folder, "long");
    writeFileSync(file, "");
    truncateSync(file, LONG_BYTES);
    const from = await open(file);
    const onBytes = (bytes: number) => {
      if (bytes === 0) return;
      // Once it is paused, it is cancelled the next time.
      if (isPaused && !job.isPaused) job.isPaused = true;
      else job.cancel.abort(new Error("enough"));
    };
    await expect(digestFor(controlOf(job), workers, { from, onBytes })).rejects.toThrow("enough");
    expect(from.fd).toBe(-1);
  }),
);

test("what is no file is not read", () =>
  withJob(async (job, workers, folder) => {
    const from = await open(folder);
    await expect(digestFor(controlOf(job), workers, { from })).rejects.toThrow("It is no file");
    expect(from.fd).toBe(-1);
  }));

import {
  chmodSync,
  chownSync,
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  renameSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { spawnSync } from "node:child_process";
import path from "node:path";
import fc from "fast-check";
import { keyOf } from "../../../../testing/keys";
import { mountDrive, unmountDrive } from "../../../../testing/mounts";
import { asNobody, driveTest, otherUserTest } from "../../../../testing/privileged";
import { TestServer, withFolder, withServer } from "../../../../testing/server";
import { buildTorn, killed } from "../../../../testing/torn";
import type { Batch, HeldItem, SequenceState } from "@kinetocache/core";
import { Holding } from "./holding";

const content = (n: number) => Uint8Array.from({ length: 3000 }, (_, i) => (i + n) & 255);
const json = (body: unknown): RequestInit => ({
  method: "POST",
  headers: { "content-type": "application/json" },
  body: JSON.stringify(body),
});

async function filled(folder: string, count: number): Promise<TestServer> {
  const server = await TestServer.start(folder);
  for (let n = 0; n < count; n++) await server.store(keyOf(n), content(n));
  return server;
}

const selected = (frames: readonly number[]) => json({ selection: [{ place: "main", ids: frames.map(keyOf) }] });
const hold = (server: TestServer, frames: readonly number[]) =>
  server.json<{ batches: Batch[]; skipped: { reason: string }[] }>("/api/sweep/holds", selected(frames));
const heldKeys = async (server: TestServer) =>
  (await server.keys()).map(([key]) => Number.parseInt(key, 16)).sort((a, b) => a - b);
const batches = (server: TestServer) => server.json<Batch[]>("/api/sweep/holds");
const restore = (server: TestServer, id: string, numbers?: readonly number[]) =>
  server.json<{ stayed: unknown[] }>(`/api/sweep/holds/${id}/restore`, json({ numbers }));
const empty = (server: TestServer, id: string) => server.ask(`/api/sweep/holds/${id}/empty`, json({}));

test("swept frames go to holding, come back, go again, and are gone once it is emptied", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 6);
    const [batch] = (await hold(server, [1, 2, 3])).batches;
    expect(batch).toMatchObject({ items: 3, bytes: 3 * 4096, rebuildMs: 240, projects: ["night-roost"], by: "you" });
    expect(await heldKeys(server)).toEqual([0, 4, 5]);
    expect(await server.volume()).toMatchObject({ bytes: 3 * 4096, holdingBytes: 3 * 4096 });

    // A part comes back, and then the rest.
    expect(await restore(server, batch!.id, [1])).toEqual({ stayed: [] });
    expect(await heldKeys(server)).toEqual([0, 2, 4, 5]);
    await restore(server, batch!.id);
    expect(await heldKeys(server)).toEqual([0, 1, 2, 3, 4, 5]);
    expect(await batches(server)).toEqual([]);
    expect(new Uint8Array(await (await server.ask(`/api/frames/${keyOf(2)}`)).arrayBuffer())).toEqual(content(2));

    const [again] = (await hold(server, [1, 2])).batches;
    expect(await (await empty(server, again!.id)).json()).toEqual({ stayed: [] });
    expect(await server.volume()).toMatchObject({ frames: 4, holdingBytes: 0 });
    expect(readdirSync(path.join(folder, "volume/holding"))).toEqual([]);
    const history = await server.json<{ what: string; items: number }[]>("/api/sweep/history");
    expect(history.map(({ what, items }) => [what, items])).toEqual([
      ["swept", 3],
      ["brought back", 1],
      ["brought back", 2],
      ["swept", 2],
      ["emptied", 2],
    ]);
    await server.close();
  }));

test("holding is still there after a restart, and can be brought back then", () =>
  withFolder(async (folder) => {
    const first = await filled(folder, 4);
    const { batches: held } = await hold(first, [0, 3]);
    await first.close();
    const second = await TestServer.start(folder);
    expect(await batches(second)).toMatchObject(held);
    await restore(second, held[0]!.id);
    expect(await heldKeys(second)).toEqual([0, 1, 2, 3]);
    await second.close();
  }));

test("a frame rendered anew meanwhile is not doubled by bringing the old one back", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 2);
    const [batch] = (await hold(server, [0, 1])).batches;
    await server.store(keyOf(1), content(1));
    expect(await restore(server, batch!.id)).toEqual({ stayed: [] });
    expect(await server.volume()).toMatchObject({ frames: 2, bytes: 8192, holdingBytes: 0 });
    await server.close();
  }));

test("what is not there is told as skipped, what is no selection is refused, and nothing moves", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 1);
    for (const id of [keyOf(9), "../../etc/passwd", "frames/night-roost"])
      expect(await server.json("/api/sweep/holds", json({ selection: [{ place: "main", ids: [id] }] }))).toEqual({
        batches: [],
        skipped: [{ place: "main", id, reason: "it is gone" }],
      });
    expect(await server.refusal("/api/sweep/holds", json({}))).toMatchObject({
      status: 400,
      detail: expect.stringMatching(/selection/),
    });
    expect(await server.refusal("/api/sweep/plan", json({ selection: [{ place: "none", ids: ["a"] }] }))).toMatchObject(
      {
        status: 404,
        title: "no-location",
      },
    );
    for (const id of ["1", "..%2f..", "1700000000000-00000000"])
      expect(await server.refusal(`/api/sweep/holds/${id}/empty`, json({}))).toMatchObject({
        status: 404,
        title: "no-batch",
      });
    expect(await heldKeys(server)).toEqual([0]);
    await server.close();
  }));

test("a cap below what holding takes is refused", () =>
  withFolder(async (folder) => {
    const server = await TestServer.start(folder);
    await server.store(keyOf(1), new Uint8Array(20 * 2 ** 20));
    await hold(server, [1]);
    const answer = await server.refusal("/api/locations/main", { ...json({ capBytes: 16 * 2 ** 20 }), method: "PUT" });
    expect(answer).toMatchObject({ status: 409, title: "holding-too-large" });
    await server.close();
  }));

const file = (name: string): HeldItem => ({
  path: name,
  isFolder: false,
  kind: "frames",
  project: "Flyway 101",
  bytes: 4096,
  files: 1,
});

/** A folder with some files, and its holding. */
async function withHolding(
  use: (holding: Holding, place: string, reopen: () => Holding) => Promise<void>,
  names: readonly string[] = ["a", "b", "c"],
): Promise<void> {
  await withFolder(async (folder) => {
    const place = path.join(folder, "place");
    mkdirSync(place);
    for (const name of names) {
      mkdirSync(path.dirname(path.join(place, name)), { recursive: true });
      writeFileSync(path.join(place, name), name);
    }
    const open = () => Holding.open(place, ".holding");
    await use(open(), place, open);
  });
}

test("nothing is overwritten when something else took the place meanwhile; it stays in holding, with the reason", () =>
  withHolding(async (holding, place) => {
    const { batch } = await holding.hold([file("a"), file("b")], "you");
    writeFileSync(path.join(place, "a"), "newer");
    expect(await holding.restore(batch!.id)).toEqual([{ path: "a", reason: "something else is in its place" }]);
    expect(readFileSync(path.join(place, "a"), "utf8")).toBe("newer");
    expect(holding.list()).toMatchObject([{ items: 1 }]);
    rmSync(path.join(place, "a"));
    expect(await holding.restore(batch!.id)).toEqual([]);
    expect(readFileSync(path.join(place, "a"), "utf8")).toBe("a");
    expect(holding.list()).toEqual([]);
  }));

test("a folder that became a link is not followed, neither out nor back", () =>
  withHolding(
    async (holding, place) => {
      const outside = path.join(place, "../outside");
      mkdirSync(outside);
      writeFileSync(path.join(outside, "x"), "not ours");
      const { batch } = await holding.hold([file("in/x")], "you");
      rmSync(path.join(place, "in"), { recursive: true });
      symlinkSync(outside, path.join(place, "in"));
      expect(await holding.restore(batch!.id)).toEqual([
        { path: "in/x", reason: "a link or a file is in the way to it" },
      ]);
      expect((await holding.hold([file("in/x")], "you")).stayed).toHaveLength(1);
      expect(readFileSync(path.join(outside, "x"), "utf8")).toBe("not ours");
      rmSync(path.join(place, "in"));
      // The folder that it was in is made again.
      expect(await holding.restore(batch!.id)).toEqual([]);
      expect(readFileSync(path.join(place, "in/x"), "utf8")).toBe("in/x");
    },
    ["in/x"],
  ));

otherUserTest("a file that may not be taken away stays under the one name that it had", () =>
  withHolding(
    async (holding, place) => {
      for (const one of [place, path.dirname(place)]) chmodSync(one, 0o777);
      chownSync(path.join(place, "in/x"), 65534, 65534);
      const { batch, stayed } = await asNobody(() => holding.hold([file("in/x"), file("a")], "you"));
      expect(stayed).toEqual([{ path: "in/x", reason: "it may not be moved" }]);
      expect(batch).toMatchObject({ items: 1 });
      expect(lstatSync(path.join(place, "in/x")).nlink).toBe(1);
    },
    ["in/x", "a"],
  ),
);

test("baked sequences go and come back as whole folders, and are known again", () =>
  withServer(async (server) => {
    const described = {
      location: "main",
      name: "Sky",
      kind: "bake",
      width: 2,
      height: 2,
      rate: { numerator: 24, denominator: 1 },
      depth: "8-bit",
      fileFormat: "qoi",
      frames: 2,
      gaps: [],
      about: "",
    };
    const made = (await (await server.ask("/api/sequences", json(described))).json()) as SequenceState;
    const known = async () =>
      (await server.json<SequenceState[]>("/api/sequences")).map(({ id, folder }) => ({
        id,
        there: existsSync(folder),
      }));
    const whole = [{ id: made.id, there: true }];
    expect(await known()).toEqual(whole);
    const selection = [{ place: "main", ids: [made.id] }];
    const { batches } = await server.json<{ batches: Batch[] }>("/api/sweep/holds", json({ selection }));
    expect(batches).toMatchObject([{ items: 1, projects: ["Sky"] }]);
    expect([await known(), existsSync(made.folder)]).toEqual([[], false]);
    expect(await restore(server, batches[0]!.id)).toEqual({ stayed: [] });
    expect(await known()).toEqual(whole);
  }));

test("two sweeps at once take a file once, and the second says that it is gone", () =>
  withHolding(async (holding) => {
    const [first, second] = await Promise.all([
      holding.hold([file("a"), file("b")], "you"),
      holding.hold([file("b"), file("c")], "the timetable"),
    ]);
    expect(first.stayed).toEqual([]);
    expect(second.stayed).toEqual([{ path: "b", reason: "it is gone" }]);
    expect(holding.list().map(({ items, by }) => [items, by])).toEqual([
      [2, "you"],
      [1, "the timetable"],
    ]);
  }));

test("names with line breaks, quotes and spaces go and come back as they are", () => {
  const names = ["with\nline", `quote"'`, " leading", "{brace}", "ünï", "-rf", "a\\b"];
  return withHolding(async (holding, place, reopen) => {
    const { batch, stayed } = await holding.hold(names.map(file), "you");
    expect(stayed).toEqual([]);
    expect(await reopen().restore(batch!.id)).toEqual([]);
    expect(readdirSync(place).filter((name) => name !== ".holding")).toEqual([...names].sort());
  }, names);
});

test("a list that cannot be read leaves everything where it is, and is not emptied", () =>
  withHolding(async (holding, place, reopen) => {
    const { batch } = await holding.hold([file("a")], "you");
    const list = path.join(place, ".holding", batch!.id, "batch.jsonl");
    for (const text of ["", "nonsense", readFileSync(list, "utf8").replace(`"path":"a"`, `"path":"../a"`)]) {
      writeFileSync(list, text);
      const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
      expect(reopen().list()).toEqual([]);
      expect(warn).toHaveBeenCalled();
      warn.mockRestore();
      expect(existsSync(path.join(place, ".holding", batch!.id, "0/0"))).toBe(true);
    }
  }));

test("whatever was cut short, each file is in one place afterwards", () =>
  withHolding(async (holding, place, reopen) => {
    const { batch } = await holding.hold([file("a"), file("b"), file("c")], "you");
    const held = path.join(place, ".holding", batch!.id);
    // Being brought back: one is there, one is in both places, one is not touched.
    mkdirSync(path.join(held, "moving"));
    renameSync(path.join(held, "0/0"), path.join(place, "a"));
    linkSync(path.join(held, "0/1"), path.join(place, "b"));
    const again = reopen();
    expect(again.list()).toMatchObject([{ items: 1, bytes: 4096 }]);
    expect(readdirSync(held).sort()).toEqual(["0", "batch.jsonl", "still"]);
    expect(readdirSync(path.join(held, "0"))).toEqual(["2"]);
    await again.restore(batch!.id);
    expect(readdirSync(path.join(place, ".holding"))).toEqual([]);
  }));

test("what was being let go when an interruption came is gone on with, and not by opening the folder alone", () =>
  withHolding(
    async (holding, place, reopen) => {
      const { batch } = await holding.hold([{ ...file("in"), isFolder: true }, file("a")], "you");
      const shelf = path.join(place, ".holding", batch!.id, "0");
      renameSync(path.join(shelf, "0"), path.join(shelf, "0.gone"));
      // Of no item that the list tells.
      mkdirSync(path.join(shelf, "7.gone"));
      writeFileSync(path.join(shelf, "7.gone/x"), "not ours");
      const again = reopen();
      expect(again.list()).toMatchObject([{ items: 1 }]);
      expect(readdirSync(shelf).sort()).toEqual(["0.gone", "1", "7.gone"]);
      await again.finish();
      expect(readdirSync(shelf).sort()).toEqual(["1", "7.gone"]);
      const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
      expect(await again.restore(batch!.id)).toEqual([]);
      expect(readFileSync(path.join(shelf, "7.gone/x"), "utf8")).toBe("not ours");
      expect(warn).toHaveBeenCalled();
      warn.mockRestore();
    },
    ["in/x", "in/y", "a"],
  ));

describe("one bad item stops nothing else", () => {
  test("a file that was removed by hand", () =>
    withHolding(async (holding, place) => {
      const { batch } = await holding.hold([file("a"), file("b"), file("c")], "you");
      rmSync(path.join(place, ".holding", batch!.id, "0/0"));
      expect(await holding.restore(batch!.id, [0, 1])).toEqual([{ path: "a", reason: "it is gone from holding" }]);
      expect(holding.list()).toMatchObject([{ items: 1 }]);
      rmSync(path.join(place, ".holding", batch!.id, "0/2"));
      expect(await holding.empty(batch!.id)).toEqual([]);
      expect([holding.list(), holding.bytes, readdirSync(path.join(place, ".holding"))]).toEqual([[], 0, []]);
    }));

  test("stray files, folders and links in holding and in a batch", () =>
    withHolding(async (holding, place, reopen) => {
      const { batch } = await holding.hold([file("a")], "you");
      const at = path.join(place, ".holding");
      const outside = path.join(place, "../outside");
      mkdirSync(outside);
      writeFileSync(path.join(outside, "x"), "not ours");
      for (const name of ["notes.txt", "7", `${batch!.id}/notes.txt`, `${batch!.id}/9`, `${batch!.id}/0/notes`])
        writeFileSync(path.join(at, name), "stray");
      for (const name of ["1.gone", "batch-0123456789abcdef", `${batch!.id}/1`, `${batch!.id}/0/5`])
        symlinkSync(outside, path.join(at, name));
      const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
      const again = reopen();
      await again.finish();
      expect(again.list()).toMatchObject([{ items: 1 }]);
      expect(await again.restore(batch!.id)).toEqual([]);
      expect(readFileSync(path.join(place, "a"), "utf8")).toBe("a");
      expect(again.list()).toEqual([]);
      expect(reopen().list()).toEqual([]);
      warn.mockRestore();
      expect(readFileSync(path.join(at, batch!.id, "0/notes"), "utf8")).toBe("stray");
      expect(readFileSync(path.join(outside, "x"), "utf8")).toBe("not ours");
    }));

  test("a list that was cut short: what it does not tell stays, and is not emptied", () =>
    withHolding(async (holding, place, reopen) => {
      const { batch } = await holding.hold([file("a"), file("b"), file("c")], "you");
      const folder = path.join(place, ".holding", batch!.id);
      const list = readFileSync(path.join(folder, "batch.jsonl"), "utf8");
      const lines = list.split("\n");
      const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
      for (const [text, items] of [
        [`${lines[0]}\n`, 0],
        [lines.slice(0, 3).join("\n"), 2],
      ] as const) {
        writeFileSync(path.join(folder, "batch.jsonl"), text);
        const again = reopen();
        await again.finish();
        expect(again.list().map((one) => one.items)).toEqual(items === 0 ? [] : [items]);
        expect(readdirSync(path.join(folder, "0"))).toEqual(["0", "1", "2"]);
      }
      expect(warn).toHaveBeenCalledWith(expect.stringMatching(/are in no list; they stay/));
      const again = reopen();
      await again.empty(batch!.id);
      expect(readdirSync(path.join(folder, "0"))).toEqual(["2"]);
      warn.mockRestore();
      // With the whole list it can be brought back.
      writeFileSync(path.join(folder, "batch.jsonl"), list);
      expect(await reopen().restore(batch!.id)).toEqual([]);
      expect(readFileSync(path.join(place, "c"), "utf8")).toBe("c");
    }));
});

test.each([-86_400_000, 0, 946_684_800_000, 9_999_999_999_999 + 1])(
  "a batch that was swept when the clock said %d is listed and brought back after a restart",
  (nowMs) =>
    withHolding(async (holding, place, reopen) => {
      const clock = jest.spyOn(Date, "now").mockReturnValue(nowMs);
      const { batch } = await holding.hold([file("a")], "you");
      clock.mockRestore();
      // Earlier releases named it by the clock.
      const at = path.join(place, ".holding");
      renameSync(path.join(at, batch!.id), path.join(at, `${nowMs}-0123abcd`));
      const again = reopen();
      expect(again.list()).toMatchObject([{ items: 1, sweptMs: nowMs }]);
      expect(await again.restore(`${nowMs}-0123abcd`)).toEqual([]);
      expect(readFileSync(path.join(place, "a"), "utf8")).toBe("a");
    }),
);

test("no folder is held open after a move: a drive that is held cannot be taken off", () =>
  withHolding(async (holding, place) => {
    const held = () =>
      readdirSync("/proc/self/fd").filter((fd) => {
        try {
          return readlinkSync(`/proc/self/fd/${fd}`).startsWith(place);
        } catch {
          return false;
        }
      });
    const { batch } = await holding.hold([file("a"), file("b")], "you");
    expect(held()).toEqual([]);
    await holding.restore(batch!.id, [0]);
    await holding.empty(batch!.id);
    await holding.finish();
    await holding.look();
    expect(held()).toEqual([]);
  }));

test("batches that another server let go, or swept, are noticed", () =>
  withHolding(async (holding, _place, reopen) => {
    const { batch } = await holding.hold([file("a")], "you");
    const other = reopen();
    await other.empty(batch!.id);
    await other.hold([file("b")], "another");
    await holding.look();
    expect(holding.list()).toMatchObject([{ by: "another", items: 1 }]);
    expect(holding.bytes).toBe(4096);
  }));

driveTest("on a drive without room all can be brought back, and on one that is only read nothing is lost", () =>
  withFolder(async (folder) => {
    const place = path.join(folder, "drive");
    mkdirSync(place);
    expect(mountDrive(place, "1M")).toBe(true);
    try {
      for (const name of ["a", "b", "c"]) writeFileSync(path.join(place, name), name);
      const holding = Holding.open(place, ".holding");
      const { batch } = await holding.hold([file("a"), file("b"), file("c")], "you");
      expect(() => writeFileSync(path.join(place, "full"), new Uint8Array(2 ** 21))).toThrow(/ENOSPC/);
      expect(await holding.restore(batch!.id, [0])).toEqual([]);
      expect(spawnSync("mount", ["-o", "remount,ro", place]).status).toBe(0);
      const reason = "the drive can only be read";
      const stayed = [1, 2].map((number) => ({ path: "abc"[number], reason }));
      expect(await holding.restore(batch!.id)).toEqual(stayed);
      expect(await holding.empty(batch!.id)).toEqual(stayed);
      await expect(holding.hold([file("a")], "you")).rejects.toMatchObject({ code: "EROFS" });
      expect(spawnSync("mount", ["-o", "remount,rw", place]).status).toBe(0);
      expect(await holding.restore(batch!.id)).toEqual([]);
      expect(["a", "b", "c"].map((name) => readFileSync(path.join(place, name), "utf8"))).toEqual(["a", "b", "c"]);
    } finally {
      unmountDrive(place);
    }
  }),
);

test("sweeping, bringing back and emptying in any order agree with a plain model of them", async () => {
  const NAMES = ["a", "b", "c", "d", "e"];
  const step = fc.record({
    kind: fc.constantFrom("hold", "restore", "empty", "reopen"),
    names: fc.uniqueArray(fc.constantFrom(...NAMES), { minLength: 1 }),
    part: fc.boolean(),
  });
  await fc.assert(
    fc.asyncProperty(fc.array(step, { maxLength: 12 }), (steps) =>
      withHolding(async (start, place, reopen) => {
        let holding = start;
        const there = new Set(NAMES);
        for (const { kind, names, part } of steps) {
          const [batch] = holding.list();
          if (kind === "hold") {
            await holding.hold(names.map(file), "you");
            for (const name of names) there.delete(name);
          } else if (kind === "reopen") holding = reopen();
          else if (batch) {
            const numbers = [...holding.itemsOf(batch.id)];
            const chosen = part ? numbers.slice(0, 1) : numbers;
            await holding[kind](
              batch.id,
              chosen.map(([number]) => number),
            );
            if (kind === "restore") for (const [, item] of chosen) there.add(item.path);
          }
          expect(readdirSync(place).filter((name) => name !== ".holding")).toEqual([...there].sort());
          const held = holding.list().reduce((sum, { bytes }) => sum + bytes, 0);
          expect(holding.bytes).toBe(held);
        }
      }, NAMES),
    ),
    { numRuns: 60 },
  );
});

describe("killed", () => {
  beforeAll(() => buildTorn("tornSweeper"), 60_000);

  test(
    "at any instant of sweeping, bringing back and emptying, every file is in one place, or was let go",
    () =>
      withFolder(async (folder) => {
        const place = path.join(folder, "place");
        for (let kill = 0; kill < 60; kill++) {
          mkdirSync(place, { recursive: true });
          const said = await killed("tornSweeper", [place], (kill * 3.7) % 30);
          const holding = Holding.open(place, ".holding");
          const held = holding.list().flatMap(({ id }) => [...holding.itemsOf(id).values()].map((item) => item.path));
          const found = readdirSync(place).filter((name) => name !== ".holding");
          const all = [...found, ...held].sort();
          // The last thing that it began may have been done or not; before that nothing is lost.
          const wanted = said
            .findLast((line) => line.startsWith("all "))!
            .slice(4)
            .split(" ");
          const emptying = said.at(-1) === "emptying";
          expect(new Set(all).size).toBe(all.length);
          if (emptying) expect(wanted).toEqual(expect.arrayContaining(all));
          else expect(all).toEqual(wanted.sort());
          for (const name of found)
            if (name.endsWith(".d")) expect(readdirSync(path.join(place, name))).toHaveLength(5);
          rmSync(place, { recursive: true });
        }
      }),
    120_000,
  );
});

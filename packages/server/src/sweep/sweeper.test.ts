import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { homedir } from "node:os";
import path from "node:path";
import { DEFAULT_RULE_FILE, type CleaningRule, type Drive } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { TestServer, withServer, withServerIn, withFolder } from "../../../../testing/server";
import { makeFiles, withSweeper } from "../../../../testing/sweeper";
import { until } from "../../../../testing/until";
import { ifReadable } from "../machine/processes";
import type { Sweeper } from "./sweeper";

const json = (body: unknown): RequestInit => ({
  method: "POST",
  headers: { "content-type": "application/json" },
  body: JSON.stringify(body),
});

interface Report {
  readonly id: string;
  readonly items: number;
  readonly files: number;
  readonly scannedMs?: number;
  readonly totalBytes?: number;
}

/** Registers a folder and waits until it was scanned. */
async function registered(server: TestServer, folder: string, projects: readonly string[] = []): Promise<string> {
  const { id } = await server.json<{ id: string }>("/api/sweep/folders", json({ folder, projects }));
  await server.ask(`/api/sweep/folders/${id}/scan`, json({ fresh: false }));
  for (;;) {
    const [report] = await server.json<Report[]>("/api/sweep/folders");
    if (report!.scannedMs !== undefined) return id;
  }
}

test("folders that are too much, overlap, or are the application's own are refused in words", () =>
  withFolder(async (folder) => {
    const caches = path.join(folder, "caches");
    makeFiles(caches, ["inside/a.log"]);
    writeFileSync(path.join(folder, "file"), "");
    symlinkSync("/", path.join(folder, "root"));
    await withServerIn(path.join(folder, "data"), async (server) => {
      const refusal = (one: string, projects: string[] = []) =>
        server.refusal("/api/sweep/folders", json({ folder: one, projects }));
      for (const one of ["/", homedir(), path.join(folder, "root")])
        expect(await refusal(one)).toMatchObject({
          status: 400,
          detail: expect.stringMatching(/is too much/) as string,
        });
      expect(await refusal("caches")).toMatchObject({
        status: 400,
        detail: expect.stringMatching(/no full path/) as string,
      });
      expect(await refusal(path.join(folder, "none"))).toMatchObject({ status: 404, title: "no-folder" });
      expect(await refusal(path.join(folder, "file"))).toMatchObject({ status: 400 });
      for (const one of [folder, path.join(folder, "data"), path.join(folder, "data/machine")])
        expect(await refusal(one)).toMatchObject({ status: 409, title: "overlaps" });
      expect(await refusal(caches, [path.join(folder, "none")])).toMatchObject({ status: 404 });
      expect(await refusal(caches, ["/"])).toMatchObject({ status: 400 });
      await registered(server, caches);
      for (const one of [caches, path.join(caches, "inside")])
        expect(await refusal(one)).toMatchObject({ status: 409, detail: expect.stringMatching(/overlaps/) as string });
      expect(await server.json<Report[]>("/api/sweep/folders")).toMatchObject([{ items: 1, files: 1 }]);
    });
  }));

test("what is registered is there after a restart, with what was found, and its files stay when it is taken off", () =>
  withFolder(async (folder) => {
    const [data, caches] = [path.join(folder, "data"), path.join(folder, "caches")];
    makeFiles(caches, ["Flyway 101/cache/a.exr", "b.log"]);
    let id = "";
    await withServerIn(data, async (server) => {
      id = await registered(server, caches);
      const held = await server.json<{ batches: unknown[] }>(
        "/api/sweep/holds",
        json({ selection: [{ place: id, ids: ["b.log", "none.log"] }] }),
      );
      expect(held).toMatchObject({
        batches: [{ items: 1 }],
        skipped: [{ id: "none.log", reason: "it is not listed" }],
      });
    });
    makeFiles(caches, ["new.log"]);
    await withServerIn(data, async (server) => {
      expect(await server.json("/api/sweep/folders")).toMatchObject([{ id, folder: caches }]);
      // What changed meanwhile is found by itself.
      await until(async () => {
        await server.json("/api/sweep/folders");
        return (await (await server.ask(`/api/sweep/folders/${id}/items`)).text()).includes("new.log");
      });
      const [batch] = await server.json<{ id: string }[]>("/api/sweep/holds");
      expect(await server.json(`/api/sweep/holds/${batch!.id}/restore`, json({}))).toEqual({ stayed: [] });
      expect(existsSync(path.join(caches, "b.log"))).toBe(true);
      expect((await server.ask(`/api/sweep/folders/${id}`, { method: "DELETE" })).status).toBe(204);
      expect(await server.json("/api/sweep/folders")).toEqual([]);
      expect(existsSync(path.join(caches, "Flyway 101/cache/a.exr"))).toBe(true);
      for (const gone of [`/api/sweep/folders/${id}/items`, `/api/sweep/folders/${id}/scan`])
        expect(await server.refusal(gone, gone.endsWith("scan") ? json({ fresh: true }) : {})).toMatchObject({
          status: 404,
        });
    });
  }));

test("rules take from own caches and registered folders alike; what is kept stays, whoever keeps it", () =>
  withFolder(async (folder) => {
    const caches = path.join(folder, "caches");
    makeFiles(caches, ["Flyway 101/cache/a", "Flyway 102/cache/a", "Flyway 103/cache/a"]);
    await withServerIn(path.join(folder, "data"), async (server) => {
      const id = await registered(server, caches);
      await server.store(keyOf(1), new Uint8Array(5000), { owner: "kept" });
      await server.store(keyOf(2), new Uint8Array(5000), { owner: "gone" });
      const told = {
        profile: "p",
        tab: "t",
        compositions: [{ id: "kept", name: "Kept", mark: "kept" }],
        sequences: [],
      };
      expect((await server.send("PUT", "/api/sweep/compositions", told)).status).toBe(204);
      const marks = [
        { scope: "project", owner: "flyway102", mark: "kept" },
        { scope: "folder", place: id, path: "Flyway 103", mark: "kept" },
      ];
      for (const mark of marks)
        expect((await server.send("POST", "/api/sweep/marks", { mark, on: true })).status).toBe(204);
      const rules: CleaningRule[] = [
        { id: "all", on: true, kinds: ["frames"], action: { kind: "cap", bytes: 0, order: "largest first" } },
      ];
      const preview = await server.json("/api/sweep/rules/preview", json({ rules }));
      expect(preview).toEqual([{ rule: "all", items: 2, bytes: 8192 + 4096, kept: [] }]);
      const settings = { emptyAfterDays: 7, rules, timetable: { on: false, hour: 3, everyDays: 1 } };
      await server.send("PUT", "/api/sweep/settings", settings);
      const report = await server.json<{ batches: { items: number }[] }>("/api/sweep/rules/run", { method: "POST" });
      expect(report.batches.map(({ items }) => items)).toEqual([1, 1]);
      expect((await server.keys()).map(([key]) => key)).toEqual([keyOf(1)]);
      expect(existsSync(path.join(caches, "Flyway 101/cache"))).toBe(false);
      for (const name of ["Flyway 102", "Flyway 103"])
        expect(existsSync(path.join(caches, name, "cache/a"))).toBe(true);
    });
  }));

test("marks are set one by one, so that a tab that knows of none takes none away", () =>
  withFolder(async (folder) => {
    const caches = path.join(folder, "caches");
    makeFiles(caches, ["shows/cache/a", "other/cache/a"]);
    await withServerIn(path.join(folder, "data"), async (server) => {
      const place = await registered(server, caches);
      const mark = (path: string) => ({ scope: "folder", place, path, mark: "kept" });
      const send = (change: object, on = true) => server.send("POST", "/api/sweep/marks", { mark: change, on });
      const answers = await Promise.all([
        send(mark("shows")),
        send(mark("other")),
        send({ scope: "project", owner: "flyway101", mark: "kept" }),
        send({ scope: "project", owner: "flyway101", mark: "delivered" }),
      ]);
      expect(answers.map(({ status }) => status)).toEqual([204, 204, 204, 204]);
      expect(await server.json("/api/sweep/marks")).toHaveLength(3);
      await send(mark("shows"), false);
      expect(await server.json("/api/sweep/marks")).toEqual([
        mark("other"),
        { scope: "project", owner: "flyway101", mark: "delivered" },
      ]);
      // What is kept has to be there, in the folder.
      for (const [path, status] of [
        ["../projects", 400],
        ["shows/../..", 400],
        ["shows/cash", 404],
      ] as const)
        expect([path, (await send(mark(path))).status]).toEqual([path, status]);
    });
  }));

test("a rule for closing takes the frames of the composition that was closed, and no others", () =>
  withServer(async (server) => {
    await server.store(keyOf(1), new Uint8Array(5000), { owner: "one" });
    await server.store(keyOf(2), new Uint8Array(5000), { owner: "two" });
    const rules = [{ id: "close", on: true, kinds: [], action: { kind: "close" } }];
    const timetable = { on: false, hour: 3, everyDays: 1 };
    await server.send("PUT", "/api/sweep/settings", { emptyAfterDays: null, rules, timetable });
    const compositions = [
      { id: "one", name: "One" },
      { id: "two", name: "Two" },
    ];
    const tell = (open: string) =>
      server.send("PUT", "/api/sweep/compositions", { profile: "p", tab: "t", compositions, sequences: [], open });
    await tell("one");
    expect(await server.keys()).toHaveLength(2);
    await tell("two");
    expect((await server.keys()).map(([key]) => key)).toEqual([keyOf(2)]);
    const history = await server.json<object[]>("/api/sweep/history");
    expect(history).toMatchObject([{ what: "swept", by: "closing a composition", items: 1 }]);
  }));

test("a rule file is checked before it counts, tried without being kept, and read anew when it changes", () =>
  withFolder(async (folder) => {
    const caches = path.join(folder, "caches");
    makeFiles(caches, ["Heron/leftovers/a", "b.log"]);
    await withServerIn(path.join(folder, "data"), async (server) => {
      await registered(server, caches);
      const items = [{ name: "Leftovers", kind: "frames", item: "folder", pattern: "**/{project}/leftovers" }];
      const ruleFile = { ...DEFAULT_RULE_FILE, items };
      const paths = ["Heron/leftovers/a", "b.log", "Heron/footage/leftovers/a"];
      expect(await server.json("/api/sweep/rule-file/try", json({ ruleFile, paths }))).toEqual([
        { path: paths[0], what: "item", rule: "Leftovers", kind: "frames", project: "Heron", item: "Heron/leftovers" },
        { path: paths[1], what: "nothing" },
        { path: paths[2], what: "media" },
      ]);
      expect(await server.json<Report[]>("/api/sweep/folders")).toMatchObject([{ items: 1 }]);
      const wrong = { ...ruleFile, items: [{ ...items[0], pattern: "a//b" }] };
      const put = { ...json(wrong), method: "PUT" };
      expect(await server.refusal("/api/sweep/rule-file", put)).toMatchObject({
        status: 400,
        detail: expect.stringMatching(/items\[0\]\.pattern.*is no name/) as string,
      });
      expect((await server.send("PUT", "/api/sweep/rule-file", ruleFile)).status).toBe(204);
      expect(await server.json<Report[]>("/api/sweep/folders")).toMatchObject([{ items: 1, files: 2 }]);
      const lines = await (
        await server.ask(`/api/sweep/folders/${(await server.json<Report[]>("/api/sweep/folders"))[0]!.id}/items`)
      ).text();
      expect(lines).toContain("Heron/leftovers");
    });
  }));

/** A sweeper with one registered folder that holds some files, gone through once. */
const withScanned = (
  names: readonly string[],
  use: (sweeper: Sweeper, id: string, caches: string) => Promise<void>,
): Promise<void> =>
  withSweeper(async (sweeper, _locations, folder) => {
    const caches = path.join(folder, "caches");
    makeFiles(caches, names);
    const { id } = await sweeper.register(caches, []);
    await sweeper.scanning.scan(id, false).ended;
    await use(sweeper, id, caches);
  });

/** Number of the process that has the folders, which this one started. */
function deskPid(): number {
  const isDesk = (pid: string) => {
    const [command, stat] = ["cmdline", "stat"].map((file) =>
      ifReadable(() => readFileSync(`/proc/${pid}/${file}`, "latin1")),
    );
    return command?.includes("dist/desk.js") && stat?.split(") ").at(-1)?.split(" ")[1] === String(process.pid);
  };
  return Number(readdirSync("/proc").find((name) => /^\d+$/.test(name) && isDesk(name)));
}

test("a process that has the folders and ends is started again, and nothing is lost", () =>
  withScanned(["a.log", "b.log"], async (sweeper, id, caches) => {
    await sweeper.holdings.hold([{ place: id, ids: ["a.log"] }], "you");
    const pid = deskPid();
    const asked = sweeper.desk.call("report").catch((error: Error) => error.message);
    process.kill(pid, "SIGKILL");
    expect(JSON.stringify(await asked)).toMatch(/ended|"files":2/);
    const [batch] = await sweeper.holdings.holds();
    expect(batch).toMatchObject({ items: 1, place: id });
    expect(await sweeper.holdings.restore(batch!.id)).toEqual([]);
    expect(readFileSync(path.join(caches, "a.log"), "utf8")).toBe("a.log");
  }));

test("what changes in a folder is listed by itself while somebody looks", () =>
  withScanned(["in/a.log"], async (sweeper, id, caches) => {
    expect(await sweeper.scanning.reports()).toMatchObject([{ items: 1, isWatched: true }]);
    makeFiles(caches, ["in/b.log"]);
    await until(async () => (await sweeper.scanning.reports())[0]!.items === 2);
    // Whoever asks for a scan meanwhile gets one.
    makeFiles(caches, ["in/c.log"]);
    await until(async () => (await sweeper.scanning.reports())[0]!.isDue);
    expect(await sweeper.scanning.scan(id, false).ended).toBe("done");
    expect(await sweeper.scanning.reports()).toMatchObject([{ items: 3 }]);
  }));

test("what was shown before it moves is not listed anew until it moved: what changed meanwhile stays", () =>
  withScanned(["Flyway 102/cache/a.exr", "b.log"], async (sweeper, id, caches) => {
    const selection = [{ place: id, ids: ["Flyway 102/cache", "b.log"] }];
    expect((await sweeper.holdings.plan(selection)).items).toHaveLength(2);
    makeFiles(caches, ["Flyway 102/cache/new.exr"]);
    await until(async () => (await sweeper.scanning.reports())[0]!.isDue);
    expect(await sweeper.scanning.reports()).toMatchObject([{ isDue: true, files: 2 }]);
    const { batches, skipped } = await sweeper.holdings.hold(selection, "you");
    expect(batches).toMatchObject([{ items: 1 }]);
    expect(skipped).toMatchObject([{ id: "Flyway 102/cache", reason: "it changed since it was listed" }]);
    await until(async () => (await sweeper.scanning.reports())[0]!.files === 2);
  }));

test("the demo's folders are registered and gone through once, and not again after they were taken off the list", () =>
  withSweeper(async (sweeper, _locations, folder) => {
    const caches = path.join(folder, "data/drives/spinning/Flyway caches");
    mkdirSync(caches);
    makeFiles(caches, ["a.log"]);
    await sweeper.registerDemo();
    await until(async () => (await sweeper.scanning.reports())[0]?.files === 1);
    await sweeper.registerDemo();
    const reports = await sweeper.scanning.reports();
    expect(reports).toHaveLength(1);
    await sweeper.unregister(reports[0]!.id);
    await sweeper.registerDemo();
    expect(await sweeper.scanning.reports()).toEqual([]);
  }));

test("registering a folder changes nothing about how full its simulated drive is", () =>
  withFolder(async (folder) => {
    const caches = path.join(folder, "drives/slower-solid-state/Flyway caches");
    mkdirSync(caches, { recursive: true });
    makeFiles(caches, ["a.log"]);
    truncateSync(path.join(caches, "a.log"), 3 * 2 ** 30);
    await withServerIn(folder, async (server) => {
      const drive = async () => {
        const { drives } = await server.json<{ drives: Drive[] }>("/api/drives");
        return drives.find(({ mount }) => mount.endsWith("slower-solid-state"))!;
      };
      const before = await drive();
      await registered(server, caches);
      expect(await drive()).toMatchObject({ freeBytes: before.freeBytes, usedBytes: before.usedBytes });
    });
  }));

test("simulated drives are as full as the stated sizes of what lies on them", () =>
  withSweeper(async (sweeper, _locations, folder) => {
    const caches = path.join(folder, "data/drives/slower-solid-state/Flyway caches");
    mkdirSync(caches);
    makeFiles(caches, ["a.log"]);
    const big = path.join(caches, "big.log");
    writeFileSync(big, "");
    truncateSync(big, 5 * 2 ** 30);
    utimesSync(big, 1e9, 1e9);
    expect(await sweeper.offered()).toEqual([{ folder: caches, projects: [] }]);
    const { id } = await sweeper.register(caches, []);
    await sweeper.scanning.scan(id, false).ended;
    const free = async () => (await sweeper.scanning.reports())[0]!.freeBytes!;
    const before = await free();
    const { batches } = await sweeper.holdings.hold([{ place: id, ids: ["big.log"] }], "you");
    expect(batches).toMatchObject([{ bytes: 5 * 2 ** 30 }]);
    // Holding has not given it back yet.
    expect(await free()).toBe(before);
    await sweeper.holdings.empty(batches[0]!.id, "you");
    expect((await free()) - before).toBe(5 * 2 ** 30);
    expect(sweeper.history.all.at(-1)).toMatchObject({
      what: "emptied",
      freeBefore: before,
      freeAfter: before + 5 * 2 ** 30,
    });
  }));

import { emptiesInMs, runsAtMs, type SweepSettings } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { withServer } from "../../../../testing/server";
import { withSweeper } from "../../../../testing/sweeper";
import type { Sweeper } from "./sweeper";
import { Timekeeper } from "./timekeeper";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

interface Parts {
  readonly timekeeper: Timekeeper;
  readonly sweeper: Sweeper;
  readonly clock: { now: number; uptime: number; boot: string; newest: number };
  /** A server that starts anew. */
  readonly restarted: () => Promise<Timekeeper>;
  readonly left: () => Promise<number>;
}

/** Holding with one batch, and a clock of the test's own. */
function withBatch(use: (parts: Parts) => Promise<void>) {
  return withSweeper(async (sweeper, locations, folder) => {
    const [{ volume }] = locations.open() as [ReturnType<typeof locations.open>[number]];
    for (const n of [1, 2]) {
      const content = (async function* () {
        yield await Promise.resolve(new Uint8Array(3000));
      })();
      await volume.write({ key: keyOf(n), owner: "night-roost", format: "pam", costMs: 1, size: 3000 }, content);
    }
    const { batches } = await sweeper.holdings.hold([{ place: "main", ids: [keyOf(1)] }], "you");
    const clock = { now: batches[0]!.sweptMs, uptime: 0, boot: "first", newest: batches[0]!.sweptMs };
    const restarted = () =>
      Timekeeper.open(folder, sweeper, {
        now: () => clock.now,
        uptime: () => clock.uptime,
        boot: clock.boot,
        newestFileMs: () => clock.newest,
      });
    const timekeeper = await restarted();
    await use({ timekeeper, sweeper, clock, restarted, left: async () => (await sweeper.holdings.holds()).length });
  });
}

const change = async ({ sweeper, timekeeper }: Parts, settings: Partial<SweepSettings>) => {
  await sweeper.preferences.changeSettings({ ...sweeper.preferences.settings, ...settings });
  await timekeeper.settingsChanged();
};

test("a batch goes seven days after it was swept, or whenever it is set to", () => {
  expect(emptiesInMs(1000, { emptyAfterDays: 7 })).toBe(7 * DAY - 1000);
  expect(emptiesInMs(8 * DAY, { emptyAfterDays: 7 })).toBe(0);
  expect(emptiesInMs(1000, { emptyAfterDays: null })).toBeUndefined();
});

test("holding is emptied when its days are over, and not before", () =>
  withBatch(async ({ timekeeper, sweeper, clock, left }) => {
    const pass = async (ms: number) => {
      clock.now += ms;
      clock.uptime += ms;
      await timekeeper.check();
    };
    await pass(0);
    await pass(7 * DAY - 1);
    await pass(11 * MINUTE);
    expect(await left()).toBe(1);
    await pass(11 * MINUTE);
    expect(await left()).toBe(0);
    expect(sweeper.history.all.at(-1)).toMatchObject({ what: "emptied", by: "its days were over", items: 1 });
  }));

test("a clock that jumps ahead and back again empties nothing", () =>
  withBatch(async ({ timekeeper, clock, left }) => {
    clock.now += 400 * DAY;
    await timekeeper.check();
    clock.uptime += 5 * MINUTE;
    await timekeeper.check();
    clock.now -= 400 * DAY;
    clock.uptime += 20 * MINUTE;
    await timekeeper.check();
    clock.now += 400 * DAY;
    await timekeeper.check();
    expect(await left()).toBe(1);
  }));

test("swept by a clock that is twenty days behind, a batch waits its days when the clock is set right", () =>
  withBatch(async ({ timekeeper, clock, restarted, left, sweeper }) => {
    // There are files from before the clock went wrong.
    clock.newest = clock.now + 20 * DAY;
    await timekeeper.check();
    clock.now += 20 * DAY;
    const again = await restarted();
    for (let look = 0; look < 20; look++) {
      clock.uptime += MINUTE;
      clock.now += MINUTE;
      await again.check();
    }
    expect(await left()).toBe(1);
    expect(again.withAges(await sweeper.holdings.holds())).toMatchObject([{ waitedMs: 20 * MINUTE }]);
  }));

test("of the time that the machine was off, no more counts than the user's files have grown newer", () =>
  withBatch(async ({ timekeeper, clock, restarted, sweeper }) => {
    await timekeeper.check();
    const waited = async (keeper: Timekeeper) => keeper.withAges(await sweeper.holdings.holds())[0]!.waitedMs;
    const reboot = async (clockMs: number, newerMs: number) => {
      clock.now += clockMs;
      clock.newest += newerMs;
      clock.uptime = 0;
      clock.boot = `after ${clock.now}`;
      const keeper = await restarted();
      await keeper.check();
      return waited(keeper);
    };
    expect(await reboot(400 * DAY, 0)).toBe(0);
    clock.newest = clock.now;
    expect(await reboot(-200 * DAY, 3 * DAY)).toBe(0);
    clock.newest = clock.now;
    await (await restarted()).check();
    expect(await reboot(3 * DAY, 2 * DAY)).toBe(2 * DAY);
    // The machine ran on while the server did not.
    clock.uptime += 2 * DAY;
    clock.now -= 50 * DAY;
    const again = await restarted();
    await again.check();
    expect(await waited(again)).toBe(4 * DAY);
  }));

test("a batch that cannot be emptied keeps none of the others", () =>
  withBatch(async ({ timekeeper, sweeper, clock, left }) => {
    await sweeper.holdings.hold([{ place: "main", ids: [keyOf(2)] }], "you");
    expect(await left()).toBe(2);
    const [first] = await sweeper.holdings.holds();
    const { holdings } = sweeper;
    const empty = holdings.empty.bind(holdings);
    jest.spyOn(holdings, "empty").mockImplementation((id, by) => {
      if (id === first!.id) return Promise.reject(new Error("the drive does not answer"));
      return empty(id, by);
    });
    const error = jest.spyOn(console, "error").mockImplementation(() => undefined);
    for (const ms of [0, 8 * DAY, 11 * MINUTE]) {
      clock.uptime += ms;
      await timekeeper.check();
    }
    expect(error).toHaveBeenCalledTimes(1);
    error.mockRestore();
    expect((await sweeper.holdings.holds()).map(({ id }) => id)).toEqual([first!.id]);
  }));

test("what is to wait for the user waits, however long", () =>
  withBatch(async (parts) => {
    await change(parts, { emptyAfterDays: null });
    parts.clock.now += 4000 * DAY;
    parts.clock.uptime += 4000 * DAY;
    for (let hour = 0; hour < 3; hour++) {
      parts.clock.uptime += HOUR;
      await parts.timekeeper.check();
    }
    expect(await parts.left()).toBe(1);
  }));

test("the next run is at the hour that was set, as many days on as were set", () => {
  const hourOf = (ms: number) => new Date(ms).getUTCHours();
  const last = Date.UTC(2026, 4, 2, 14, 20);
  const at = (hour: number, everyDays: number) => runsAtMs({ on: true, hour, everyDays }, last, hourOf);
  expect(at(3, 1)).toBe(Date.UTC(2026, 4, 3, 3));
  expect(at(16, 1)).toBe(Date.UTC(2026, 4, 2, 16));
  expect(at(3, 7)).toBe(Date.UTC(2026, 4, 9, 3));
  expect(runsAtMs({ on: false, hour: 3, everyDays: 1 }, last, hourOf)).toBeUndefined();
});

test("rules run by the timetable once it is time, move to holding, and can be undone", () =>
  withBatch(async (parts) => {
    const { timekeeper, sweeper, clock, left } = parts;
    await sweeper.tell({ profile: "p", tab: "t", compositions: [{ id: "another", name: "Another" }], sequences: [] });
    await change(parts, {
      emptyAfterDays: null,
      rules: [{ id: "all", on: true, kinds: [], action: { kind: "cap", bytes: 0, order: "largest first" } }],
      timetable: { on: true, hour: 3, everyDays: 1 },
    });
    await timekeeper.check();
    expect(await left()).toBe(1);
    clock.now = timekeeper.rulesAtMs!;
    await timekeeper.check();
    expect(await left()).toBe(1);
    clock.uptime += 11 * MINUTE;
    await timekeeper.check();
    expect(await left()).toBe(2);
    expect(sweeper.history.all.at(-1)).toMatchObject({ what: "swept", by: "the timetable", items: 1 });
    // It does not run again before the next day.
    expect(timekeeper.rulesAtMs! - clock.now).toBeGreaterThan(22 * HOUR);
    const batch = (await sweeper.holdings.holds()).find(({ by }) => by === "the timetable")!;
    expect(await sweeper.holdings.restore(batch.id)).toEqual([]);
    expect(await left()).toBe(1);
  }));

test("settings are kept over a restart; what is none is refused with what would be right", () =>
  withServer(async (server) => {
    const before = await server.json<SweepSettings>("/api/sweep/settings");
    expect(before).toMatchObject({ emptyAfterDays: 7, timetable: { on: false } });
    const { rules, timetable } = before;
    const settings = { emptyAfterDays: 30, rules, timetable };
    expect((await server.send("PUT", "/api/sweep/settings", settings)).status).toBe(204);
    expect(await server.json("/api/sweep/settings")).toEqual(settings);
    for (const wrong of [
      { emptyAfterDays: 0 },
      { emptyAfterDays: 1.5 },
      { emptyAfterDays: "soon" },
      { emptyAfterDays: 1e9 },
      { timetable: { on: true, hour: 24, everyDays: 1 } },
      { rules: [{ id: "a", on: true, kinds: ["footage"], action: { kind: "age", days: 3 } }] },
      { rules: [{ id: "a", on: true, kinds: [], action: { kind: "age", days: 0 } }] },
    ])
      expect((await server.send("PUT", "/api/sweep/settings", { ...settings, ...wrong })).status).toBe(400);
    expect(await server.json("/api/sweep/settings")).toEqual(settings);
  }));

import { emptiesAtMs } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer } from "../../../../testing/server";
import { REAL_MEDIUM } from "../drives/medium";
import { Locations } from "../volumes/locations";
import { Emptying } from "./emptying";

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

/** Holding with one batch, and a clock of the test's own. */
function withBatch(
  use: (emptying: Emptying, clock: { now: number; uptime: number }, left: () => number) => Promise<void>,
) {
  return withFolder(async (data) => {
    const locations = await Locations.open(data, () => REAL_MEDIUM);
    try {
      const [{ volume, holding }] = locations.open() as [ReturnType<Locations["open"]>[number]];
      const content = (async function* () {
        yield await Promise.resolve(new Uint8Array(3000));
      })();
      await volume.write({ key: keyOf(1), owner: "night-roost", format: "pam", costMs: 1, size: 3000 }, content);
      const { sweptMs } = await holding.hold([keyOf(1)]);
      const clock = { now: sweptMs, uptime: 0 };
      const emptying = await Emptying.open(data, locations, { now: () => clock.now, uptime: () => clock.uptime });
      await use(emptying, clock, () => holding.list().length);
    } finally {
      await locations.close();
    }
  });
}

test("a batch goes seven days after it was swept, or whenever it is set to", () => {
  expect(emptiesAtMs(1000, { emptyAfterDays: 7 })).toBe(1000 + 7 * DAY);
  expect(emptiesAtMs(1000, { emptyAfterDays: null })).toBeUndefined();
});

test("holding is emptied when its days are over, and not before", () =>
  withBatch(async (emptying, clock, left) => {
    const pass = async (ms: number) => {
      clock.now += ms;
      clock.uptime += ms;
      await emptying.check();
    };
    await pass(7 * DAY - 1);
    await pass(0);
    expect(left()).toBe(1);
    await pass(1);
    await pass(11 * MINUTE);
    expect(left()).toBe(0);
  }));

test("a clock that jumps ahead and back again empties nothing", () =>
  withBatch(async (emptying, clock, left) => {
    clock.now += 400 * DAY;
    await emptying.check();
    clock.uptime += 5 * MINUTE;
    await emptying.check();
    clock.now -= 400 * DAY;
    clock.uptime += 20 * MINUTE;
    await emptying.check();
    clock.now += 400 * DAY;
    await emptying.check();
    expect(left()).toBe(1);
  }));

test("what is to wait for the user waits, however long", () =>
  withBatch(async (emptying, clock, left) => {
    await emptying.change({ emptyAfterDays: null });
    clock.now += 4000 * DAY;
    for (let hour = 0; hour < 3; hour++) {
      clock.uptime += 60 * MINUTE;
      await emptying.check();
    }
    expect(left()).toBe(1);
  }));

test("the days are kept over a restart; what is no number of days is refused with what would be right", () =>
  withServer(async (server) => {
    expect(await server.json("/api/sweep/settings")).toEqual({ emptyAfterDays: 7 });
    expect((await server.send("PUT", "/api/sweep/settings", { emptyAfterDays: 30 })).status).toBe(204);
    expect(await server.json("/api/sweep/settings")).toEqual({ emptyAfterDays: 30 });
    for (const emptyAfterDays of [0, -3, 1.5, "soon", 1e9])
      expect((await server.send("PUT", "/api/sweep/settings", { emptyAfterDays })).status).toBe(400);
    expect(await server.json("/api/sweep/settings")).toEqual({ emptyAfterDays: 30 });
  }));

import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer, type TestServer } from "../../../../testing/server";
import { Clients } from "./clients";

const compositions = ["one", "two"].map((id) => ({ id, name: id }));
const told = (profile: string, tab: string, open: string, more: object = {}) => ({
  profile,
  tab,
  open,
  compositions,
  sequences: [],
  ...more,
});

test("a composition is closed when no tab has it open any more, and not by closing or losing a tab", () =>
  withFolder(async (folder) => {
    let uptimeMs = 0;
    const clients = await Clients.open(folder, () => uptimeMs);
    expect(await clients.tell(told("p", "first", "one"))).toBeUndefined();
    expect(await clients.tell(told("p", "second", "one"))).toBeUndefined();
    expect(await clients.tell(told("p", "second", "two"))).toBeUndefined();
    expect([...clients.openNow].sort()).toEqual(["one", "two"]);
    expect(await clients.tell(told("p", "first", "two"))).toBe("one");
    clients.leave("first");
    expect([...clients.openNow]).toEqual(["two"]);
    uptimeMs += 100_000;
    expect([clients.see("second"), clients.see("first")]).toEqual([true, false]);
    uptimeMs += 100_000;
    expect([...clients.openNow]).toEqual(["two"]);
    // A page that vanished says nothing any more.
    uptimeMs += 100_000;
    expect([...clients.openNow]).toEqual([]);
    expect(clients.compositions).toHaveLength(2);
  }));

test("what a profile has stays known when it is out of sight, also after a restart", () =>
  withFolder(async (folder) => {
    const clients = await Clients.open(folder);
    await clients.tell(told("work", "a", "one", { sequences: ["sky"] }));
    await clients.tell(
      told("home", "b", "three", { compositions: [{ id: "three", name: "three" }], sequences: ["map"] }),
    );
    clients.leave("a");
    const again = await Clients.open(folder);
    expect(again.compositions.map(({ id }) => id).sort()).toEqual(["one", "three", "two"]);
    expect([...again.sequences].sort()).toEqual(["map", "sky"]);
    expect(again.beside("home")).toMatchObject({ compositions, sequences: ["sky"] });
    // Removed in its own profile, it is gone.
    await again.tell(told("work", "a", "one", { compositions: [compositions[0]!] }));
    expect(again.compositions.map(({ id }) => id).sort()).toEqual(["one", "three"]);
  }));

test("of a composition that two profiles have, what one of them keeps is kept", () =>
  withFolder(async (folder) => {
    const clients = await Clients.open(folder);
    await clients.tell(told("work", "a", "one", { compositions: [{ id: "one", name: "one", mark: "kept" }] }));
    await clients.tell(told("home", "b", "one", { compositions: [{ id: "one", name: "one" }] }));
    expect(clients.compositions).toEqual([{ id: "one", name: "one", mark: "kept" }]);
  }));

const tell = (server: TestServer, body: object) => server.send("PUT", "/api/sweep/compositions", body);

test("a rule for closing leaves alone what is open in another tab", () =>
  withServer(async (server) => {
    await server.store(keyOf(1), new Uint8Array(5000), { owner: "one" });
    const rules = [{ id: "close", on: true, kinds: [], action: { kind: "close" } }];
    const timetable = { on: false, hour: 3, everyDays: 1 };
    await server.send("PUT", "/api/sweep/settings", { emptyAfterDays: null, rules, timetable });
    for (const tab of ["first", "second"]) await tell(server, told("p", tab, "one"));
    await tell(server, told("p", "second", "two"));
    expect(await server.keys()).toHaveLength(1);
    await tell(server, told("p", "first", "two"));
    expect(await server.keys()).toHaveLength(0);
    const isKnown = () => server.json("/api/sweep/tabs/first", { method: "POST" });
    expect(await isKnown()).toEqual({ isKnown: true });
    expect((await server.ask("/api/sweep/tabs/first", { method: "DELETE" })).status).toBe(204);
    expect(await isKnown()).toEqual({ isKnown: false });
  }));

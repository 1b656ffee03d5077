import "fake-indexeddb/auto";
import { database } from "./database";
import { assignRole } from "./roles";

const kept = async () => (await database.settings.get("roles"))?.value;

test("a role is given, given elsewhere, and taken away, the others left alone", async () => {
  await assignRole("proxies", "main");
  await assignRole("scratch", "fast");
  await assignRole("proxies", "fast");
  expect(await kept()).toEqual({ proxies: "fast", scratch: "fast" });
  await assignRole("scratch", undefined);
  expect(await kept()).toEqual({ proxies: "fast" });
});

test("roles given at once are all kept", async () => {
  await Promise.all([assignRole("proxies", "a"), assignRole("scratch", "b"), assignRole("baked frames", "c")]);
  expect(await kept()).toEqual({ proxies: "a", scratch: "b", "baked frames": "c" });
});

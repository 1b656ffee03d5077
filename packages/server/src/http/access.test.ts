import { lstatSync, readFileSync, readdirSync } from "node:fs";
import path from "node:path";
import { letIn } from "../../../../testing/startedServer";
import { TestServer, withFolder, withServer, withServerIn } from "../../../../testing/server";

const loaded = (server: TestServer, target: string, headers: Record<string, string>) =>
  fetch(server.server.origin + target, { headers, redirect: "manual" });

test("without the secret every answer is 401: all of the API, every page and every file", () =>
  withServer(async (server) => {
    const { origin } = server.server;
    for (const cookie of ["", "kinetocache=1", `kinetocache-${new URL(origin).port}=${"0".repeat(64)}`]) {
      for (const target of ["/", "/sweep", "/assets/index.js", "/index.html", "/?secret=", "/?secret=1&secret=2"])
        expect([target, (await loaded(server, target, { cookie })).status]).toEqual([target, 401]);
      const headers = { origin, cookie, "content-type": "application/json" };
      for (const target of ["/api/locations", "/api/sweep/folders", "/api/machine/live", "/api/no-such", "/api"])
        for (const method of ["GET", "POST", "PUT", "DELETE"])
          expect((await fetch(origin + target, { method, headers })).status).toBe(401);
    }
    const help = await loaded(server, "/", {});
    expect(await help.text()).toContain("Open the whole address that Kinetocache printed");
    expect(help.headers.get("set-cookie")).toBeNull();
  }));

test("the printed address lets in, is gone from the address bar, and the cookie is for this page alone", () =>
  withServer(async (server) => {
    const { address, origin } = server.server;
    const response = await fetch(address, { redirect: "manual" });
    expect([response.status, response.headers.get("location")]).toEqual([303, "/"]);
    const [cookie] = response.headers.getSetCookie();
    expect(cookie).toMatch(/; Path=\/;.*HttpOnly.*SameSite=Strict/);
    const headers = { origin, cookie: cookie!.split(";")[0]! };
    expect((await fetch(`${origin}/api/locations`, { headers })).status).toBe(200);
    // Being let in is not enough: another page of this machine is another origin.
    expect(
      (await fetch(`${origin}/api/locations`, { headers: { ...headers, origin: "http://127.0.0.1:1" } })).status,
    ).toBe(403);
    // Wherever a link leads to, it stays here.
    const away = await fetch(address.replace("/?", "//elsewhere.example/?"), { redirect: "manual" });
    expect(away.headers.get("location")).toBe("/elsewhere.example/");
  }));

test("a page goes on after a restart; the secret of before does not let in any more", () =>
  withFolder(async (data) => {
    const before = await withServerIn(data, async ({ server }) => ({
      address: server.address,
      cookie: await letIn(server.address),
    }));
    await withServerIn(data, async (server) => {
      const { origin } = server.server;
      const port = new URL(origin).port;
      // Another port has another cookie: what it holds is the same.
      const cookie = before.cookie.replace(/^kinetocache-\d+/, `kinetocache-${port}`);
      expect((await fetch(`${origin}/api/locations`, { headers: { origin, cookie } })).status).toBe(200);
      const secret = new URL(before.address).search;
      expect((await loaded(server, `/${secret}`, {})).status).toBe(401);
    });
  }));

test("only the server's user can read the address and whatever else it keeps", () =>
  withFolder(async (folder) => {
    const data = path.join(folder, "data");
    await withServerIn(data, async (server) => {
      await server.store("0".repeat(32), new Uint8Array(100));
      expect(readFileSync(path.join(data, "address"), "utf8")).toBe(`${server.server.address}\n`);
      const look = (at: string) => {
        const { mode } = lstatSync(at);
        expect([at, (mode & 0o077).toString(8)]).toEqual([at, "0"]);
        if (lstatSync(at).isDirectory()) for (const name of readdirSync(at)) look(path.join(at, name));
      };
      look(data);
      expect(readFileSync(path.join(data, "sessions.json"), "utf8")).not.toContain(
        new URL(server.server.address).search,
      );
    });
    expect(readdirSync(data)).not.toContain("address");
  }));

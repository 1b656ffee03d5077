import { TestServer, withFolder } from "../../../../testing/server";

let server: TestServer;
let done: Promise<void>;
let finish: () => void;

beforeAll(async () => {
  await new Promise<void>((ready) => {
    done = withFolder(async (folder) => {
      server = await TestServer.start(folder);
      ready();
      await new Promise<void>((resolve) => (finish = resolve));
      await server.close();
    });
  });
});

afterAll(async () => {
  finish();
  await done;
});

test("its own pages are served", async () => {
  expect((await server.ask("/api/locations")).status).toBe(200);
  const { host } = new URL(server.server.address);
  expect(await server.raw("/api/locations", { host, "sec-fetch-site": "same-origin" })).toBe(200);
});

test("other origins, pages without an origin, and other host names are refused", async () => {
  const { host, port } = new URL(server.server.address);
  for (const origin of [
    "http://example.test",
    `http://127.0.0.1:${Number(port) + 1}`,
    "null",
    `https://127.0.0.1:${port}`,
  ]) {
    expect(await server.refusal("/api/locations", { headers: { origin } })).toMatchObject({
      status: 403,
      title: "foreign-origin",
    });
  }
  expect(await server.raw("/api/locations", { host })).toBe(403);
  expect(await server.raw("/api/locations", { host, "sec-fetch-site": "cross-site" })).toBe(403);
  for (const name of ["kinetocache.test", "127.0.0.1", `127.0.0.1:${Number(port) + 1}`, "evil.test:80"]) {
    expect(await server.raw("/api/locations", { host: name, origin: `http://${name}` })).toBe(403);
  }
});

test("a foreign page cannot write either", async () => {
  const { host } = new URL(server.server.address);
  const target = `/api/locations/main/frames/${"0".repeat(32)}?owner=a&format=pam&costMs=1`;
  expect(await server.raw(target, { host, origin: "http://example.test", "content-length": "0" }, "PUT")).toBe(403);
  expect(await server.keys()).toEqual([]);
});

test("every answer isolates the page", async () => {
  const { headers } = await server.ask("/api/locations");
  expect(headers.get("cross-origin-opener-policy")).toBe("same-origin");
  expect(headers.get("cross-origin-embedder-policy")).toBe("require-corp");
  expect(headers.get("content-security-policy")).toMatch("default-src 'self'");
});

test("what does not exist is a problem with its path", async () => {
  expect(await server.refusal("/api/nothing")).toMatchObject({
    status: 404,
    title: "not-found",
    detail: "There is no GET /api/nothing",
  });
});

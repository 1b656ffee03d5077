import { mkdtemp, rm } from "node:fs/promises";
import { request } from "node:http";
import { tmpdir } from "node:os";
import path from "node:path";
import { startServer, type RunningServer } from "@kinetocache/server";
import { letIn } from "./startedServer";

/** A folder that is removed with everything in it when `use` ends. */
export async function withFolder<T>(use: (folder: string) => Promise<T> | T): Promise<T> {
  const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-test-"));
  try {
    return await use(folder);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** A running server on a free port that is asked as its own pages ask it. */
export class TestServer {
  private constructor(
    readonly server: RunningServer,
    readonly data: string,
    private readonly cookie: string,
  ) {}

  static async start(data: string): Promise<TestServer> {
    const server = await startServer({ data, port: 0 });
    return new TestServer(server, data, await letIn(server.address));
  }

  /** What its own pages send with each request. */
  get headers(): Record<string, string> {
    return { origin: this.server.origin, cookie: this.cookie };
  }

  close(): Promise<void> {
    return this.server.close();
  }

  ask(target: string, init: RequestInit = {}): Promise<Response> {
    const headers = new Headers(init.headers);
    if (!headers.has("origin")) headers.set("origin", this.server.origin);
    if (!headers.has("cookie")) headers.set("cookie", this.cookie);
    return fetch(this.server.origin + target, { ...init, headers });
  }

  async json<T>(target: string, init?: RequestInit): Promise<T> {
    return (await (await this.ask(target, init)).json()) as T;
  }

  /** Status and problem code of a refused request. */
  async refusal(target: string, init?: RequestInit): Promise<{ status: number; title: string; detail: string }> {
    const response = await this.ask(target, init);
    expect(response.headers.get("content-type")).toMatch("application/problem+json");
    return (await response.json()) as { status: number; title: string; detail: string };
  }

  store(key: string, content: Uint8Array, { owner = "night-roost", costMs = 80 } = {}): Promise<Response> {
    return this.ask(`/api/locations/main/frames/${key}?owner=${owner}&format=pam&costMs=${costMs}`, {
      method: "PUT",
      body: content as BodyInit,
    });
  }

  /** Sends JSON. */
  send(method: string, target: string, body: unknown): Promise<Response> {
    return this.ask(target, {
      method,
      headers: { "content-type": "application/json" },
      body: JSON.stringify(body),
    });
  }

  /** State of the main location. */
  async volume(): Promise<Record<string, unknown>> {
    const locations = await this.json<{ id: string; volume: Record<string, unknown> }[]>("/api/locations");
    return locations.find(({ id }) => id === "main")!.volume;
  }

  /** Keys in the main location, each with its cost. */
  async keys(): Promise<[string, number][]> {
    const listed = await this.json<{ location: string; frames: [string, number][] }[]>("/api/frames");
    return listed.find(({ location }) => location === "main")!.frames;
  }

  /** A request with headers that `fetch` would not send. @returns the status */
  raw(target: string, headers: Record<string, string>, method = "GET"): Promise<number> {
    return new Promise((resolve, reject) => {
      const all = { cookie: this.cookie, ...headers };
      request(this.server.origin + target, { method, headers: all }, (response) => {
        response.resume();
        resolve(response.statusCode!);
      })
        .on("error", reject)
        .end();
    });
  }
}

/** Runs with a server whose data is in a folder. */
export async function withServerIn<T>(folder: string, use: (server: TestServer) => Promise<T>): Promise<T> {
  const server = await TestServer.start(folder);
  try {
    return await use(server);
  } finally {
    await server.close();
  }
}

/** Runs with a server in a folder of its own. */
export function withServer(use: (server: TestServer) => Promise<void>): Promise<void> {
  return withFolder((folder) => withServerIn(folder, use));
}

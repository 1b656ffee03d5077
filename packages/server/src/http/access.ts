import { createHash, randomBytes, timingSafeEqual } from "node:crypto";
import path from "node:path";
import type { RequestHandler, Response } from "express";
import Joi from "joi";
import { Folder } from "../files/folder";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "./problem";

/** A browser that was let in. */
interface Session {
  /** SHA-256 of what its cookie holds. */
  readonly hash: string;
  /** In milliseconds since the epoch. */
  readonly sinceMs: number;
}

const FORMAT = { format: "kinetocache-sessions", version: 1 } as const;
const schema = Joi.array<readonly Session[]>().items(
  Joi.object({
    hash: Joi.string()
      .pattern(/^[0-9a-f]{64}$/)
      .required(),
    sinceMs: Joi.number().required(),
  }),
);
const MOST_SESSIONS = 50;
/** File of the data folder that holds the address with the secret; only the server's user can read it. */
const ADDRESS_FILE = "address";
const PARAMETER = "secret";
// Browsers keep a cookie no longer than that.
const COOKIE_MS = 400 * 24 * 3600 * 1000;

/**
 * Who may ask: whoever can read what the server printed, or a file that only its user can read. Each start makes a new
 * secret. The address carries it once; the page keeps a cookie of its own, so that it goes on after a restart.
 */
export class Access {
  private readonly secret = randomBytes(32).toString("hex");

  private constructor(
    private readonly data: string,
    private readonly sessions: JsonFile<readonly Session[]>,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string): Promise<Access> {
    return new Access(data, await JsonFile.open(path.join(data, "sessions.json"), FORMAT, schema, []));
  }

  /** The address that lets in, which is also written where only the user can read it. */
  async announce(origin: string): Promise<string> {
    const address = `${origin}/?${PARAMETER}=${this.secret}`;
    await Folder.with(this.data, (folder) => folder.replace(ADDRESS_FILE, [`${address}\n`]));
    return address;
  }

  async close(): Promise<void> {
    await Folder.with(this.data, (folder) => folder.remove(ADDRESS_FILE));
  }

  /** Lets in whoever has the secret, or a cookie from when they had it; others get 401. */
  get check(): RequestHandler {
    return async (request, response, next) => {
      const asked = `http://loopback${request.originalUrl}`;
      if (!URL.canParse(asked)) throw new Problem(400, "invalid", "The address cannot be read");
      const url = new URL(asked);
      const given = url.searchParams.get(PARAMETER);
      // Ports of one machine share their cookies.
      const cookie = `kinetocache-${request.socket.localPort}`;
      if (request.method === "GET" && given !== null && isSame(hashOf(given), hashOf(this.secret))) {
        url.searchParams.delete(PARAMETER);
        response.cookie(cookie, await this.begin(), { httpOnly: true, sameSite: "strict", maxAge: COOKIE_MS });
        response.redirect(303, url.pathname.replace(/^\/+/, "/") + url.search);
        return;
      }
      const held = (request.cookies as Partial<Record<string, string>>)[cookie];
      if (held !== undefined && this.knows(held)) next();
      else if (url.pathname.startsWith("/api")) throw new Problem(401, "not-let-in", HOW);
      else help(response);
    };
  }

  private async begin(): Promise<string> {
    const token = randomBytes(32).toString("hex");
    const session = { hash: hashOf(token).toString("hex"), sinceMs: Date.now() };
    await this.sessions.change((all) => [...all, session].slice(-MOST_SESSIONS));
    return token;
  }

  private knows(token: string): boolean {
    const hash = hashOf(token);
    return this.sessions.value.some((session) => isSame(hash, Buffer.from(session.hash, "hex")));
  }
}

function hashOf(text: string): Buffer {
  return createHash("sha256").update(text).digest();
}

function isSame(a: Buffer, b: Buffer): boolean {
  return a.length === b.length && timingSafeEqual(a, b);
}

const HOW =
  "Open the whole address that Kinetocache printed when it was started, with the secret at its end; " +
  `it is also in the file "${ADDRESS_FILE}" of its data folder`;

function help(response: Response): void {
  response
    .status(401)
    .set({ "Cache-Control": "no-store", "Content-Security-Policy": "default-src 'none'" })
    .type("html")
    .send(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Kinetocache</title>` +
        `<h1>This browser is not let in yet</h1><p>${HOW}.</p>` +
        `<p>Other users of this machine could reach this page too, and are not to reach your files.</p></html>`,
    );
}

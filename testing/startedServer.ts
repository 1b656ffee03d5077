import { fork, type ChildProcess } from "node:child_process";

/** The server in a process of its own, as users start it. */
export interface StartedServer {
  readonly child: ChildProcess;
  /** Where it is. */
  readonly origin: string;
  /** The address that lets a browser in. */
  readonly address: string;
  /** What lets in whoever sends it as a cookie. */
  readonly cookie: string;
}

/**
 * Starts the server as it was built.
 * @param port 0 takes any that is free @param preload module that runs before it
 * @throws Error when it ends before it says where it is
 */
export async function startedServer(data: string, port = 0, preload?: string): Promise<StartedServer> {
  const child = fork("packages/server/dist/main.js", ["--data", data, "--port", String(port)], {
    execArgv: preload === undefined ? [] : ["--import", preload],
    silent: true,
  });
  const address = await new Promise<string>((resolve, reject) => {
    child.stdout!.on("data", (text: Buffer) => {
      const match = /at (http:\S+)/.exec(String(text));
      if (match) resolve(match[1]!);
    });
    child.stderr!.on("data", (text: Buffer) => process.stderr.write(text));
    child.once("exit", (code) => reject(new Error(`The server ended with ${code}`)));
  });
  return { child, address, origin: new URL(address).origin, cookie: await letIn(address) };
}

/** Opens the address that lets in. @returns the cookie that a browser keeps from then on */
export async function letIn(address: string): Promise<string> {
  const response = await fetch(address, { redirect: "manual" });
  const cookie = response.headers.getSetCookie()[0];
  if (cookie === undefined) throw new Error(`${address} lets nobody in: ${response.status}`);
  return cookie.split(";")[0]!;
}

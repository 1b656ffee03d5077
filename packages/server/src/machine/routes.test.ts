import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { PROGRAM_RULES, troublesOf, type AdvisedProgram, type LiveFigures, type MachineSheet } from "@kinetocache/core";
import { TELL_PID, withProgram } from "../../../../testing/program";
import { withServer, type TestServer } from "../../../../testing/server";
import { ProgramWatch } from "./programWatch";
import { askToQuit } from "./quit";

/** Follows the live figures until they satisfy a condition. */
async function follow(server: TestServer, until: (figures: LiveFigures) => boolean): Promise<LiveFigures> {
  const gone = new AbortController();
  const { body } = await server.ask("/api/machine/live", { signal: gone.signal });
  let text = "";
  try {
    for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) {
      text += Buffer.from(chunk).toString();
      const events = text.split("\n\n");
      text = events.pop()!;
      for (const event of events) {
        const figures = JSON.parse(event.slice("data: ".length)) as LiveFigures;
        if (until(figures)) return figures;
      }
    }
  } finally {
    gone.abort();
  }
  throw new Error("The figures ended");
}

const post = (server: TestServer, target: string, body: object, method = "POST") =>
  server.ask(target, { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
const programIn = ({ programs }: LiveFigures, executable: string): AdvisedProgram | undefined =>
  programs?.find((program) => program.executable === executable);

test("a backup client that was busy between two questions is told of, and no other program is", () =>
  withServer((server) =>
    withProgram(`${TELL_PID} for (;;);`, async (executable) => {
      const ask = () => server.json<Pick<LiveFigures, "conditions" | "programs">>("/api/machine/disturbances");
      await ask();
      // The user says in the rule file what that program is.
      const rules = [{ class: "synchronising or backing up", executable }, ...PROGRAM_RULES];
      await writeFile(path.join(server.data, "machine/program-rules.json"), JSON.stringify(rules));
      const before = performance.now();
      while (performance.now() < before + 400) await new Promise((resolve) => setImmediate(resolve));
      const disturbance = await ask();
      expect(disturbance.programs!.map((program) => program.executable)).toEqual([executable]);
      expect(troublesOf(disturbance)).toContain(`${path.basename(executable)} is busy synchronising or backing up`);
    }),
  ));

test("a program of the user's own is listed, marked, asked to quit, and gone; a second time nothing is done", () =>
  withServer((server) =>
    withProgram(`${TELL_PID} setInterval(() => {}, 1000);`, async (executable) => {
      const { id } = programIn(
        await follow(server, (figures) => programIn(figures, executable) !== undefined),
        executable,
      )!;
      expect((await post(server, "/api/machine/marks", { id, mark: "keep" }, "PUT")).status).toBe(204);
      const kept = await follow(server, (figures) => programIn(figures, executable)?.mark === "keep");
      expect(programIn(kept, executable)!.advice).toMatchObject({ text: "Keep, as you said", mayAsk: false });
      const refused = await post(server, "/api/machine/quit", { id });
      expect(refused.status).toBe(403);
      expect(await refused.json()).toMatchObject({ title: "not-offered", detail: expect.stringContaining("Keep") });
      await post(server, "/api/machine/marks", { id, mark: "not needed" }, "PUT");
      await follow(server, (figures) => programIn(figures, executable)?.advice.urgent === true);
      expect(await (await post(server, "/api/machine/quit", { id })).json()).toEqual({
        outcome: "closed",
        processes: 0,
      });
      expect((await post(server, "/api/machine/quit", { id })).status).toBe(409);
    }),
  ));

test("one that does not want to end stays, and that is said", () =>
  withProgram(`process.on("SIGTERM", () => {}); ${TELL_PID} setInterval(() => {}, 1000);`, async (executable) => {
    const found = new ProgramWatch().look(performance.now()).find((program) => program.executable === executable)!;
    expect(await askToQuit(found.members, 300)).toEqual({ outcome: "still running", processes: 1 });
  }));

test("a process whose number is now another's is left alone", () =>
  withProgram(`${TELL_PID} setInterval(() => {}, 1000);`, async (executable) => {
    const found = new ProgramWatch().look(performance.now()).find((program) => program.executable === executable)!;
    const changed = found.members.map((one) => ({ ...one, startedTicks: one.startedTicks - 1 }));
    await expect(askToQuit(changed)).rejects.toMatchObject({ status: 409, code: "gone" });
    expect((await askToQuit(found.members)).outcome).toBe("closed");
  }));

test("this application is never asked to quit, and what was never listed is not there", () =>
  withServer(async (server) => {
    await follow(server, ({ programs }) => programs!.length > 0);
    expect((await post(server, "/api/machine/quit", { id: "this application" })).status).toBe(403);
    expect((await post(server, "/api/machine/quit", { id: "0:/nowhere" })).status).toBe(409);
    expect((await post(server, "/api/machine/quit", {})).status).toBe(400);
    expect((await post(server, "/api/machine/marks", { id: "x", mark: "loathed" }, "PUT")).status).toBe(400);
    expect((await post(server, "/api/machine/marks", { id: "0:/nowhere:1", mark: "keep" }, "PUT")).status).toBe(409);
  }));

test("what is told first has been measured: a program that works all the time shows it, and swapping is a rate", () =>
  withServer((server) =>
    withProgram(`${TELL_PID} for (;;);`, async (executable) => {
      const first = await follow(server, () => true);
      expect(programIn(first, executable)!.processorShare).toBeGreaterThan(0.05);
      expect(first.conditions.swapRate).toBeDefined();
    }),
  ));

test("a bad rule file is said and not used; a good one decides", () =>
  withServer(async (server) => {
    const file = path.join(server.data, "machine/program-rules.json");
    expect(JSON.parse(await readFile(file, "utf8"))).toEqual(PROGRAM_RULES);
    await writeFile(file, '[{ "class": "nice" }]');
    const bad = await follow(server, ({ rulesProblem }) => rulesProblem !== undefined);
    expect(bad.rulesProblem).toMatch("program-rules.json is not used: [0].class: must be one of");
    await writeFile(file, '[{ "class": "needed for playback", "executable": "*" }]');
    const good = await follow(server, ({ rulesProblem }) => rulesProblem === undefined);
    expect(new Set(good.programs!.filter(({ executable }) => executable).map((one) => one.class))).toEqual(
      new Set(["needed for playback"]),
    );
  }));

test("the simulated machines are valid sheets, and the hardware is that of this machine", () =>
  withServer(async (server) => {
    const machines = await server.json<MachineSheet[]>("/api/machine/simulated");
    expect(machines.map(({ name }) => name)).toEqual(["Field laptop", "Suite with a host limit", "Tower"]);
    expect(machines.every(({ simulation }) => simulation)).toBe(true);
    const hardware = await server.json<MachineSheet["hardware"]>("/api/machine/hardware");
    expect(hardware.installedBytes).toBeGreaterThan(2 ** 28);
    expect(Array.isArray(hardware.graphics)).toBe(true);
  }));

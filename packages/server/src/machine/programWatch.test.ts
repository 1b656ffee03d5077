import path from "node:path";
import { TELL_PID, withProgram } from "../../../../testing/program";
import { askToQuit } from "./quit";
import { ProgramWatch, type WatchedProgram } from "./programWatch";

const MIB = 2 ** 20;
const find = (programs: readonly WatchedProgram[], executable: string) =>
  programs.find((program) => program.executable === executable);

test("a program is found with its memory and what it takes of the processor", () =>
  withProgram(`globalThis.kept = Buffer.alloc(${64 * MIB}, 1); ${TELL_PID} for (;;);`, async (executable) => {
    const watch = new ProgramWatch();
    watch.look(performance.now());
    const before = performance.now();
    while (performance.now() < before + 500) await new Promise((resolve) => setImmediate(resolve));
    const found = find(watch.look(performance.now()), executable)!;
    expect(found.name).toBe(path.basename(executable));
    expect(found.processes).toBe(1);
    expect(found.memoryBytes).toBeGreaterThan(64 * MIB);
    expect(found.processorShare).toBeGreaterThan(0.1);
    expect(found.isOwn).toBe(true);
  }));

test("a program that was started twice is two, each with what it was started with and all that it started itself", () =>
  withProgram(`${TELL_PID} setInterval(() => {}, 1000);`, (executable) =>
    withProgram(
      `const child = require("child_process").spawn(${JSON.stringify(executable)}, ["-e", "setInterval(() => {}, 1000)"], { stdio: "ignore" });
      child.on("spawn", () => { ${TELL_PID} });
      process.on("SIGTERM", () => { child.kill(); process.exit(); });`,
      async () => {
        const found = () =>
          new ProgramWatch().look(performance.now()).filter((program) => program.executable === executable);
        while (found().reduce((sum, { processes }) => sum + processes, 0) < 3)
          await new Promise((resolve) => setImmediate(resolve));
        const [first, second] = found().sort((a, b) => a.processes - b.processes);
        expect([first!.processes, second!.processes]).toEqual([1, 2]);
        expect(first!.commandLine).toBe(`${executable} -e ${TELL_PID} setInterval(() => {}, 1000);`);
        expect(second!.commandLine).toContain("child_process");
        expect(first!.markedAs).not.toBe(second!.markedAs);
        expect(await askToQuit(second!.members)).toEqual({ outcome: "closed", processes: 0 });
        expect(found().map(({ id }) => id)).toEqual([first!.id]);
      },
      executable,
    ),
  ));

test("a program that has ended is not listed any more", async () => {
  const watch = new ProgramWatch();
  let ended = "";
  await withProgram(`${TELL_PID} setInterval(() => {}, 1000);`, (executable) => {
    expect(find(watch.look(performance.now()), executable)).toBeDefined();
    ended = executable;
    return Promise.resolve();
  });
  const isGone = () => !find(watch.look(performance.now()), ended);
  while (!isGone()) await new Promise((resolve) => setImmediate(resolve));
});

test("this server and what it started are one program: this application", () => {
  const [own, ...others] = new ProgramWatch()
    .look(performance.now())
    .filter(({ members }) => members.some(({ pid }) => pid === process.pid));
  expect(others).toEqual([]);
  expect(own).toMatchObject({ id: "this application", traits: ["this application"] });
});

import { TELL_PID, withProgram } from "../../../../testing/program";
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
    expect(found.name).toBe("test-program");
    expect(found.processes).toBe(1);
    expect(found.memoryBytes).toBeGreaterThan(64 * MIB);
    expect(found.processorShare).toBeGreaterThan(0.1);
    expect(found.isOwn).toBe(true);
  }));

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

import { cpus, totalmem } from "node:os";
import { ifReadable } from "./processes";
import { probeMachine } from "./probe";

test("the figures are those of this machine", async () => {
  const machine = await probeMachine();
  expect(machine.installedBytes).toBe(totalmem());
  expect(machine.availableBytes).toBeGreaterThan(0);
  expect(machine.availableBytes).toBeLessThanOrEqual(machine.installedBytes);
  expect(machine.cores).toBe(cpus().length);
  expect(machine.processor.length).toBeGreaterThan(3);
});

test("a process that ended, may not be looked at or has a file open at too long a path is passed over; else is told", () => {
  const failing = (code: string) => () =>
    ifReadable(() => {
      throw Object.assign(new Error(code), { code });
    });
  for (const code of ["ENOENT", "ESRCH", "EACCES", "ENAMETOOLONG"]) expect(failing(code)()).toBeUndefined();
  expect(failing("EMFILE")).toThrow("EMFILE");
});

import { cpus, totalmem } from "node:os";
import { probeMachine } from "./probe";

test("the figures are those of this machine", async () => {
  const machine = await probeMachine();
  expect(machine.installedBytes).toBe(totalmem());
  expect(machine.availableBytes).toBeGreaterThan(0);
  expect(machine.availableBytes).toBeLessThanOrEqual(machine.installedBytes);
  expect(machine.cores).toBe(cpus().length);
  expect(machine.processor.length).toBeGreaterThan(3);
});

import { troublesOf, type Conditions, type MachineFigures } from "@kinetocache/core";
import type { MeasuredTake } from "../engine/protocol/event";
import { database, type MachineAtTake } from "./database";
import { readDisturbances, readMachine } from "./server";

/** Stores a take with what slowed the machine down meanwhile. */
export async function keepTake(take: MeasuredTake, repeats: number | undefined): Promise<void> {
  // Without the server nobody can tell; the take is kept all the same.
  const [found, machine] = await Promise.all([
    readDisturbances().catch(() => undefined),
    readMachine().catch(() => undefined),
  ]);
  const troubles = found && troublesOf(found);
  const fault = take.graphicsFault === undefined ? [] : [`${take.graphicsFault}. The processor rendered instead.`];
  const left = Object.values(take.missing ?? {}).map((reason) => `A clip could not be read. ${reason}.`);
  const own = [...fault, ...left];
  await database.takes.add({
    ...take,
    ...(repeats === undefined ? {} : { repeats }),
    ...(machine ? { machine: machineAtTake(machine, found?.conditions) } : {}),
    disturbances: troubles || own.length > 0 ? [...(troubles ?? []), ...own] : undefined,
  });
}

function machineAtTake(
  { processor, cores, installedBytes, availableBytes }: MachineFigures,
  conditions: Conditions | undefined,
): MachineAtTake {
  const { onBattery, clockShare } = conditions ?? {};
  return { processor, cores, installedBytes, availableBytes, onBattery, clockShare };
}

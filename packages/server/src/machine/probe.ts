import type { Hardware, MachineFigures } from "@kinetocache/core";
import si from "systeminformation";

/** What does not change while the server runs is asked once. */
const fixed = Promise.all([si.cpu(), si.osInfo()]);
let graphics: ReturnType<typeof si.graphics> | undefined;

const MIB = 2 ** 20;

async function names(): Promise<{ cores: number; processor: string; system: string }> {
  const [cpu, os] = await fixed;
  return {
    cores: cpu.cores,
    processor: `${cpu.manufacturer} ${cpu.brand}`.trim() || "unknown processor",
    system: `${os.distro} ${os.release}`.trim() || "unknown system",
  };
}

/** Reads the machine's memory and processor. */
export async function probeMachine(): Promise<MachineFigures> {
  const [named, memory] = await Promise.all([names(), si.mem()]);
  return {
    installedBytes: memory.total,
    availableBytes: memory.available,
    swapUsedBytes: memory.swapused,
    ...named,
  };
}

/** What the machine is made of, as a machine sheet keeps it. Graphics are asked once; that takes a second or so. */
export async function probeHardware(): Promise<Hardware> {
  graphics ??= si.graphics();
  const [named, memory, { controllers }] = await Promise.all([names(), si.mem(), graphics]);
  return {
    installedBytes: memory.total,
    ...named,
    graphics: controllers.map(({ vendor, model, vram, driverVersion }) => ({
      name: `${vendor} ${model}`.trim() || "unnamed device",
      ...(vram ? { memoryBytes: vram * MIB } : {}),
      ...(driverVersion ? { driver: driverVersion } : {}),
    })),
  };
}

import type { MachineFigures } from "@kinetocache/core";
import si from "systeminformation";

/** What does not change while the server runs is asked once. */
const fixed = Promise.all([si.cpu(), si.osInfo()]);

/** Reads the machine's memory and processor. */
export async function probeMachine(): Promise<MachineFigures> {
  const [[cpu, os], memory] = await Promise.all([fixed, si.mem()]);
  return {
    installedBytes: memory.total,
    availableBytes: memory.available,
    swapUsedBytes: memory.swapused,
    cores: cpu.cores,
    processor: `${cpu.manufacturer} ${cpu.brand}`.trim() || "unknown processor",
    system: `${os.distro} ${os.release}`.trim(),
  };
}

import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { withFolder } from "../../../../testing/server";
import { ConditionsProbe } from "./conditions";

/** A machine's files: hot, clocked down to 1.2 of 3 GHz, on battery, swapping. */
const FILES = {
  "proc/vmstat": "nr_free_pages 100\npswpin 10\npswpout 20\n",
  "proc/meminfo": "MemTotal: 100 kB\nSwapTotal:  2048 kB\nSwapFree:  1024 kB\n",
  "sys/class/thermal/thermal_zone0/type": "acpitz\n",
  "sys/class/thermal/thermal_zone0/temp": "99000\n",
  "sys/class/thermal/thermal_zone1/type": "x86_pkg_temp\n",
  "sys/class/thermal/thermal_zone1/temp": "91500\n",
  "sys/devices/system/cpu/cpu0/cpufreq/scaling_cur_freq": "1200000\n",
  "sys/devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq": "3000000\n",
  "sys/devices/system/cpu/cpuidle/note": "not a core\n",
  "sys/class/power_supply/AC/online": "0\n",
  "sys/class/power_supply/BAT0/status": "Discharging\n",
};

async function put(root: string, files: Readonly<Record<string, string>>): Promise<void> {
  for (const [name, text] of Object.entries(files)) {
    await mkdir(path.dirname(path.join(root, name)), { recursive: true });
    await writeFile(path.join(root, name), text);
  }
}

test("heat, clock, battery and swap are read; swapping is a rate, known from the second look on", () =>
  withFolder(async (root) => {
    await put(root, FILES);
    const probe = new ConditionsProbe(root);
    expect(probe.read(1000)).toEqual({
      swapRate: undefined,
      swapUsedBytes: 2 ** 20,
      temperatureCelsius: 91.5,
      clockShare: 0.4,
      onBattery: true,
    });
    await put(root, { "proc/vmstat": "pswpin 10\npswpout 120\n", "sys/class/power_supply/BAT0/status": "Charging\n" });
    expect(probe.read(3000)).toMatchObject({ swapRate: (100 * 4096) / 2, onBattery: false });
  }));

test("what a machine does not tell is not made up", () =>
  withFolder((root) => {
    const unknown = {
      swapRate: undefined,
      swapUsedBytes: undefined,
      temperatureCelsius: undefined,
      clockShare: undefined,
      onBattery: undefined,
    };
    expect(new ConditionsProbe(root).read(0)).toEqual(unknown);
    return Promise.resolve();
  }));

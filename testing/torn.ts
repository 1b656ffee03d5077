import { spawn, spawnSync } from "node:child_process";
import { mkdirSync } from "node:fs";
import path from "node:path";

/** Programs of the tests that are killed while they write. */
export type TornProgram = "tornWriter" | "tornBaker" | "tornSweeper";

// One file that starts at once; from its sources it would take longer to start than to be killed.
const built = path.join(process.cwd(), "test-results", "torn");

/** Makes a program ready to be started. */
export function buildTorn(program: TornProgram): void {
  mkdirSync(built, { recursive: true });
  const from = `testing/${program}.ts`;
  const build = ["vite", "build", "--ssr", from, "--outDir", built, "--emptyOutDir", "false", "--logLevel", "error"];
  const { status } = spawnSync("npx", build, { stdio: "inherit" });
  if (status !== 0) throw new Error(`${program} could not be built`);
}

/** Starts a program that says "open" when it begins to write, and kills it so long after that. @returns what it said */
export async function killed(program: TornProgram, parameters: readonly string[], delayMs: number): Promise<string[]> {
  const script = path.join(built, `${program}.js`);
  const child = spawn(process.execPath, [script, ...parameters], { stdio: ["ignore", "pipe", "inherit"] });
  let said = "";
  child.stdout.on("data", (data: Buffer) => {
    if (said === "") setTimeout(() => child.kill("SIGKILL"), delayMs);
    said += String(data);
  });
  await new Promise((resolve) => child.once("close", resolve));
  const [first, ...lines] = said.split("\n").slice(0, -1);
  if (first !== "open") throw new Error(`${program} said "${first}" before it began`);
  return lines;
}

import { readFileSync } from "node:fs";

export interface Mount {
  /** Full path at which it is mounted. */
  readonly point: string;
  readonly type: string;
}

/** What is mounted; nothing on systems that do not list it. */
export function mounts(): Mount[] {
  let text: string;
  try {
    text = readFileSync("/proc/self/mountinfo", "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return [];
    throw error;
  }
  // The fifth field of each line, in which blanks and the like stand as octal numbers, and the type after a hyphen of
  // its own (proc(5)).
  return text.split("\n").flatMap((line) => {
    const point = line.split(" ", 5)[4];
    if (point === undefined) return [];
    const type = / - (\S+)/.exec(line)?.[1] ?? "";
    return [{ point: point.replace(/\\([0-7]{3})/g, (_, digits) => fromOctal(String(digits))), type }];
  });
}

function fromOctal(digits: string): string {
  return String.fromCharCode(Number.parseInt(digits, 8));
}

/** Whether something is mounted at a folder or below it. */
export function hasMount(folder: string): boolean {
  return mounts().some(({ point }) => point === folder || point.startsWith(`${folder}/`));
}

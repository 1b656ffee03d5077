import type { Bytes } from "./memory";

export const PROGRAM_CLASSES = [
  "this application",
  "system",
  "needed for playback",
  "synchronising or backing up",
  "heavy and busy",
  "heavy and idle",
  "starts by itself",
  "light",
  "unknown",
] as const;
export type ProgramClass = (typeof PROGRAM_CLASSES)[number];

/** What can be seen of a program without knowing it. */
export const PROGRAM_TRAITS = [
  /** This server, or the browser that shows the page. */
  "this application",
  /** Started by the operating system for itself. */
  "system",
  /** Holds a sound, graphics or input device open. */
  "audio",
  "graphics",
  "input",
  /** As its entry among the installed programs says. */
  "desktop program",
  "file transfer",
  "archiving",
  "starts by itself",
] as const;
export type ProgramTrait = (typeof PROGRAM_TRAITS)[number];

export type ProgramMark = "keep" | "not needed";

/** All processes of one executable that belong to one user. */
export interface Program {
  /** Stays the same while the server runs. */
  readonly id: string;
  readonly name: string;
  /** Path of the executable; undefined where it may not be read. */
  readonly executable?: string;
  /** What it was started with; only of programs of the user who runs this application. */
  readonly commandLine?: string;
  readonly processes: number;
  /** Memory that is really theirs and comes back when they end. */
  readonly memoryBytes: Bytes;
  /** False where unshared memory could not be read, and resident memory stands in for it. */
  readonly memoryMeasured: boolean;
  /** Share of one processor core, over the last seconds; may be above 1. */
  readonly processorShare: number;
  readonly traits: readonly ProgramTrait[];
  /** Belongs to the user who runs this application. */
  readonly isOwn: boolean;
  readonly mark?: ProgramMark;
}

/** A rule of the rule file: the first that matches decides. */
export interface ProgramRule {
  readonly class: "system" | "needed for playback" | "synchronising or backing up" | "this application";
  /** Matches a program with this trait. */
  readonly trait?: ProgramTrait;
  /** Matches the path of the executable; `*` stands for anything. */
  readonly executable?: string;
}

/** The rules of a fresh installation: traits, and parts of operating systems by their place. */
export const PROGRAM_RULES: readonly ProgramRule[] = [
  { class: "this application", trait: "this application" },
  { class: "needed for playback", executable: "*/pipewire*" },
  { class: "needed for playback", executable: "*/wireplumber" },
  { class: "needed for playback", executable: "*/pulseaudio" },
  { class: "needed for playback", executable: "*/Xorg" },
  { class: "needed for playback", executable: "*/Xwayland" },
  { class: "needed for playback", trait: "input" },
  { class: "system", executable: "/usr/lib/systemd/*" },
  { class: "system", executable: "/lib/systemd/*" },
  { class: "system", trait: "system" },
  { class: "synchronising or backing up", trait: "file transfer" },
  { class: "synchronising or backing up", trait: "archiving" },
  { class: "needed for playback", trait: "audio" },
];

const MIB = 2 ** 20;

/** Memory from which a program counts as heavy: 1 % of what is installed, at least 256 MiB. */
export function heavyBytes(installedBytes: Bytes): Bytes {
  return Math.max(256 * MIB, installedBytes / 100);
}

/** Share of a core from which a program is busy. */
export const BUSY_SHARE = 0.05;

function matches(rule: ProgramRule, { traits, executable }: Program): boolean {
  if (rule.trait) return traits.includes(rule.trait);
  const pattern = rule.executable!.split("*").map((part) => part.replace(/[\\^$.+?()[\]{}|]/g, "\\$&"));
  return executable !== undefined && new RegExp(`^${pattern.join("[^]*")}$`).test(executable);
}

/** What kind of program it is, by the rules first and then by what was measured. */
export function classOf(program: Program, rules: readonly ProgramRule[], installedBytes: Bytes): ProgramClass {
  const rule = rules.find((candidate) => matches(candidate, program));
  if (rule) return rule.class;
  // Of a program that nothing says anything about, use alone says too little.
  const isKnown = program.traits.includes("desktop program") || program.mark !== undefined;
  if (isKnown && program.memoryBytes >= heavyBytes(installedBytes))
    return program.processorShare >= BUSY_SHARE ? "heavy and busy" : "heavy and idle";
  if (program.traits.includes("starts by itself")) return "starts by itself";
  return isKnown ? "light" : "unknown";
}

export interface Advice {
  readonly text: string;
  /** Something should be done about it. */
  readonly urgent: boolean;
  /** Whether the application may ask it to quit when the user says so. */
  readonly mayAsk: boolean;
  /** What comes back when it is closed, where closing it is for the user to decide. */
  readonly givesBackBytes?: Bytes;
}

const ALONE: Readonly<Partial<Record<ProgramClass, string>>> = {
  "this application": "This application",
  system: "Part of the system",
  "needed for playback": "Keep, playback needs it",
};

/** What to do about a program, in words. */
export function adviseOn(program: Program, kind: ProgramClass): Advice {
  const alone = ALONE[kind];
  if (alone) return { text: alone, urgent: false, mayAsk: false };
  const base = { mayAsk: program.isOwn, givesBackBytes: program.memoryBytes };
  if (!program.isOwn) return { ...base, text: "Belongs to another user", urgent: false };
  if (program.mark === "keep") return { ...base, mayAsk: false, text: "Keep, as you said", urgent: false };
  if (program.mark === "not needed") return { ...base, text: "Close it, you do not need it", urgent: true };
  switch (kind) {
    case "synchronising or backing up":
      return program.processorShare >= BUSY_SHARE
        ? { ...base, text: "Pause it while you work", urgent: true }
        : { ...base, text: "Quiet now; it may wake up", urgent: false };
    case "heavy and idle":
      return { ...base, text: "Close it", urgent: true };
    case "heavy and busy":
      return { ...base, text: "Close it if you can wait", urgent: false };
    case "starts by itself":
      return { ...base, text: "Need not start by itself", urgent: false };
    case "light":
      return { ...base, text: "Takes little", urgent: false };
    default:
      return { ...base, text: "Unknown: yours to judge", urgent: false };
  }
}

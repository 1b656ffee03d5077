import { readdirSync, readFileSync } from "node:fs";
import { homedir } from "node:os";
import path from "node:path";
import type { StartupEntry } from "@kinetocache/core";
import { ifReadable } from "./processes";

/** A program as the desktop lists it. */
export interface DesktopEntry {
  readonly name: string;
  /** Name of the executable without its folder. */
  readonly command: string;
  readonly categories: readonly string[];
  readonly file: string;
  readonly hidden: boolean;
}

const home = homedir();
const config = process.env.XDG_CONFIG_HOME ?? path.join(home, ".config");
const APPLICATIONS = [
  "/usr/share/applications",
  "/usr/local/share/applications",
  "/var/lib/flatpak/exports/share/applications",
  path.join(home, ".local/share/applications"),
];
const SESSIONS = ["/etc/xdg/autostart", path.join(config, "autostart")];
const SERVICES = [
  { folder: path.join(config, "systemd/user"), kind: "user service" as const },
  { folder: "/etc/systemd/user", kind: "user service" as const },
  { folder: "/etc/systemd/system", kind: "system service" as const },
];

function filesIn(folder: string, extension: string): string[] {
  const names = ifReadable(() => readdirSync(folder)) ?? [];
  return names.filter((name) => name.endsWith(extension)).map((name) => path.join(folder, name));
}

/** First word of a command line, without its folder. */
function commandName(line: string): string {
  const [, quoted, plain = ""] = /^[-@:+!]*(?:"([^"]*)"|(\S+))/.exec(line) ?? [];
  return path.basename(quoted ?? plain);
}

/** Reads one `.desktop` file; undefined when it describes no program. */
export function parseDesktopEntry(text: string, file: string): DesktopEntry | undefined {
  const group = /^\[Desktop Entry\]$([^]*?)(?=^\[|(?![^]))/m.exec(text)?.[1] ?? "";
  const value = (key: string) => new RegExp(`^${key}\\s*=\\s*(.*)$`, "m").exec(group)?.[1]?.trim();
  const exec = value("Exec");
  if (!exec) return undefined;
  const categories = (value("Categories") ?? "").split(";").filter(Boolean);
  const command = commandName(exec);
  return { name: value("Name") ?? command, command, categories, file, hidden: value("Hidden") === "true" };
}

function entriesIn(folders: readonly string[]): DesktopEntry[] {
  return folders
    .flatMap((folder) => filesIn(folder, ".desktop"))
    .flatMap((file) => {
      const text = ifReadable(() => readFileSync(file, "utf8"));
      return (text !== undefined && parseDesktopEntry(text, file)) || [];
    });
}

/** Programs that the desktop knows. */
export function desktopEntries(): DesktopEntry[] {
  return entriesIn(APPLICATIONS);
}

function servicesIn({ folder, kind }: (typeof SERVICES)[number]): StartupEntry[] {
  return filesIn(folder, ".wants").flatMap((wants) =>
    filesIn(wants, ".service").map((file) => {
      const text = ifReadable(() => readFileSync(file, "utf8")) ?? "";
      const name = path.basename(file, ".service");
      return { name, command: commandName(/^ExecStart=(.*)$/m.exec(text)?.[1] ?? name), file, kind };
    }),
  );
}

/** Everything that is set to start by itself, each with the file where that is set. */
export function startupEntries(): StartupEntry[] {
  const sessions = new Map<string, DesktopEntry>();
  // A file of the user's stands for the one of the same name that came with the system.
  for (const entry of entriesIn(SESSIONS)) sessions.set(path.basename(entry.file), entry);
  return [
    ...[...sessions.values()]
      .filter(({ hidden }) => !hidden)
      .map(({ name, command, file }) => ({ name, command, file, kind: "session" as const })),
    ...SERVICES.flatMap(servicesIn),
  ];
}

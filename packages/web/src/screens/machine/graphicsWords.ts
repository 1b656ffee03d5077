import {
  EFFECTS,
  graphicsVerdict,
  SOURCES,
  type GraphicsResult,
  type NodeKind,
  type RenderDevice,
} from "@kinetocache/core";
import { choiceFor, type Adapter } from "../../engine/gpu/adapters";
import { deviceText, rateText } from "../../parts/format";

/** One device that can render, as a row of the table. */
export interface DeviceRow {
  /** What is asked for to get it. */
  readonly device: RenderDevice;
  /** Everything it answers to. */
  readonly choices: readonly RenderDevice[];
  readonly name: string;
  readonly note: string;
}

/** The processor, and each graphics device of the browser once. */
export function deviceRows(adapters: readonly Adapter[]): DeviceRow[] {
  const graphics = adapters.map((adapter) => ({
    device: choiceFor(adapter),
    choices: adapter.choices,
    name: adapter.name,
    note: [
      adapter.isSoftware ? "a software stand-in, run by the processor" : answersTo(adapter),
      adapter.hasTimestamps ? "" : "times no single effect",
    ]
      .filter(Boolean)
      .join(", "),
  }));
  return [{ device: "processor", choices: ["processor"], name: "Processor", note: "" }, ...graphics];
}

function answersTo({ choices }: Adapter): string {
  const asked = choices.filter((choice) => choice !== "software");
  return asked.length > 1 ? "" : asked[0] === "low-power" ? "low power" : "high performance";
}

/** How a device is called in a sentence. */
function called(device: RenderDevice, rows: readonly DeviceRow[]): string {
  if (device === "processor") return "the processor";
  return rows.find((row) => row.choices.includes(device))?.name ?? `the ${deviceText(device)}`;
}

/** What the trial says, with the two numbers behind it. */
export function verdictText(
  results: readonly GraphicsResult[],
  rows: readonly DeviceRow[],
  composition: string,
): { readonly sentence: string; readonly best: RenderDevice | undefined } {
  const verdict = graphicsVerdict(results);
  if (!verdict) return { sentence: "No device could render.", best: undefined };
  const { best, bestRate, next, close } = verdict;
  const name = called(best, rows);
  const first = `${name[0]!.toUpperCase()}${name.slice(1)}`;
  const rate = `${rateText(bestRate)} frames a second`;
  if (!next) return { sentence: `${first} renders ${composition} at ${rate}; nothing else could.`, best };
  const against = `${rateText(next.rate)} on ${called(next.device, rows)}`;
  const sentence = close
    ? `${first} and ${called(next.device, rows)} render ${composition} about equally fast: ${rate} against ${rateText(next.rate)}.`
    : `${first} renders ${composition} fastest: ${rate} against ${against}.`;
  return { sentence, best };
}

const OTHER_KINDS: Readonly<Record<"place" | "stack", string>> = { place: "Placing", stack: "Compositing" };

/** Name of a kind of work. */
export function kindText(kind: NodeKind): string {
  if (kind === "place" || kind === "stack") return OTHER_KINDS[kind];
  const known: Readonly<Record<string, { readonly label: string }>> = { ...SOURCES, ...EFFECTS };
  return known[kind]?.label ?? kind;
}

/** Kinds of work of all devices, those first that cost the first device most. */
export function workKinds(results: readonly GraphicsResult[]): NodeKind[] {
  return [...new Set(results.flatMap((result) => ("nodes" in result ? result.nodes.map(({ kind }) => kind) : [])))];
}

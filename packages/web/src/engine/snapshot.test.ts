import { schedule, type Snapshot } from "@kinetocache/core";
import { EngineRig, FakeDisk, moving, SETTINGS } from "../../../../testing/engine";
import { takeSnapshot } from "./snapshot";

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

/** What the scheduler would be given now, in each mode that could hold. */
function snapshots({ engine }: EngineRig): Snapshot[] {
  const { timeline } = engine.stage;
  const modes = engine.player.isPlaying ? (["playing"] as const) : (["parked", "scrubbing", "filling"] as const);
  return modes.map((mode) => takeSnapshot(engine, timeline!, mode, performance.now()));
}

test("a recorded session, played to the scheduler again, comes to the same actions", async () => {
  const rig = new EngineRig(new FakeDisk(), { ...SETTINGS, scrubFraction: 0.5 });
  await rig.open();
  const trace: { readonly recorded: string; readonly actions: string }[] = [];
  const record = () => {
    for (const snapshot of snapshots(rig))
      trace.push({ recorded: asText(snapshot), actions: JSON.stringify(schedule(snapshot)) });
  };
  const session: (() => void)[] = [
    () => rig.send({ kind: "seek", frame: 5, scrubbing: true }),
    () => rig.configure({ background: "Idle", idleDelayMs: 0 }),
    () => rig.choose({ marked: ["square"] }),
    () => rig.send({ kind: "fill", target: { kind: "frames", range: { in: 10, out: 14 } } }),
    () => rig.send({ kind: "play", speed: 1 }),
    () => rig.send({ kind: "pause" }),
    () => rig.reopen(moving(2), "edit"),
    () => rig.send({ kind: "play", speed: -1 }),
  ];
  for (const act of session) {
    act();
    for (let n = 0; n < 8; n++) {
      await rig.run(13);
      record();
    }
  }
  expect(new Set(trace.map(({ actions }) => actions)).size).toBeGreaterThan(15);
  for (const { recorded, actions } of trace) expect(JSON.stringify(schedule(fromText(recorded)))).toBe(actions);
});

/** As text: nothing of a snapshot may be lost on the way to a file and back. */
function asText(snapshot: Snapshot): string {
  return JSON.stringify(snapshot, (_, value: unknown) => {
    if (value instanceof Float32Array) return { costs: [...value] };
    if (value instanceof Uint8Array) return { bytes: [...value] };
    if (value instanceof Set) return { set: [...value] };
    if (value instanceof Map) return { map: [...value] };
    return value === Infinity ? { infinite: true } : value;
  });
}

function fromText(text: string): Snapshot {
  return JSON.parse(text, (_, value: unknown) => {
    if (typeof value !== "object" || value === null || ArrayBuffer.isView(value)) return value;
    const { costs, slowdown, bytes, set, map, infinite } = value as Record<string, unknown>;
    if (costs && slowdown === undefined) return Float32Array.from(costs as number[]);
    if (bytes) return Uint8Array.from(bytes as number[]);
    if (set) return new Set(set as number[]);
    if (Array.isArray(map)) return new Map(map as [string, Uint8Array][]);
    return infinite ? Infinity : value;
  }) as Snapshot;
}

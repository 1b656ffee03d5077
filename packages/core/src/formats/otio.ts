import { MOST_FRAMES, rateNear, type FrameRange, type Rate } from "../composition";
import { addressedFile, CutError, MOST_ITEMS, type Cut, type CutClip, type CutTrack, type LeftOut } from "./cut";

type Fields = Readonly<Record<string, unknown>>;

const isFields = (value: unknown): value is Fields =>
  typeof value === "object" && value !== null && !Array.isArray(value);
const fieldsOf = (value: unknown): Fields => (isFields(value) ? value : {});
const listOf = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : []);
const textOf = (value: unknown): string | undefined =>
  typeof value === "string" && value !== "" ? value.slice(0, 200) : undefined;

/** The kind of an object without the version of its schema. */
function kindOf({ OTIO_SCHEMA: schema }: Fields): string {
  return typeof schema === "string" ? schema.split(".")[0]! : "";
}

interface Time {
  readonly value: number;
  /** Counts of `value` a second. */
  readonly rate: number;
}

function timeOf(value: unknown): Time | undefined {
  const { value: count, rate } = fieldsOf(value);
  const isTime = typeof count === "number" && typeof rate === "number" && Number.isFinite(count) && rate > 0;
  return isTime ? { value: count, rate } : undefined;
}

interface Range {
  readonly start: Time;
  readonly length: Time;
}

function rangeOf(value: unknown): Range | undefined {
  const { start_time: start, duration } = fieldsOf(value);
  const [from, length] = [timeOf(start), timeOf(duration)];
  return from && length && length.value >= 0 ? { start: from, length } : undefined;
}

const secondsOf = ({ value, rate }: Time) => value / rate;

/** Where a clip's file is, of all versions of the schema. */
function referenceOf(clip: Fields): Fields {
  const { media_references: all, active_media_reference_key: key } = clip;
  const active = isFields(all) ? all[typeof key === "string" ? key : "DEFAULT_MEDIA"] : undefined;
  return fieldsOf(active ?? clip.media_reference);
}

// Of nested items. A timeline that is nested deeper is no work of a person.
const DEEPEST = 32;

/** How long an item is: what is used of it, or all that there is; of items within it as they lie there. */
function lengthOf(item: Fields, depth = 0): Time | undefined {
  const used = rangeOf(item.source_range) ?? rangeOf(referenceOf(item).available_range);
  const inner = listOf(item.children).map(fieldsOf);
  if (used || inner.length === 0 || depth === DEEPEST) return used?.length;
  const lengths = inner.flatMap((one) => (kindOf(one) === "Transition" ? [] : [lengthOf(one, depth + 1)]));
  const seconds = lengths.map((length) => length && secondsOf(length));
  if (!seconds.every((one) => one !== undefined)) return undefined;
  const isStack = kindOf(item) === "Stack";
  const whole = seconds.reduce((sum, one) => (isStack ? Math.max(sum, one) : sum + one), 0);
  const rate = lengths[0]?.rate ?? 1;
  return { value: whole * rate, rate };
}

/** A timeline in the OpenTimelineIO file format, `.otio`. @throws CutError */
export function readOtio(text: string): Cut {
  let parsed: unknown;
  try {
    // Ten times as fast as with a look at every name, of which none is copied here.
    parsed = JSON.parse(text);
  } catch (cause) {
    const isDeep = cause instanceof RangeError;
    const { message } = cause as Error;
    throw new CutError([isDeep ? "The file is nested too deep to be read" : `The file is not JSON: ${message}`]);
  }
  const timeline = fieldsOf(parsed);
  const kind = kindOf(timeline);
  if (kind !== "Timeline")
    throw new CutError([
      `OTIO_SCHEMA: expected "Timeline.1", found ${JSON.stringify(timeline.OTIO_SCHEMA) ?? "nothing"}`,
    ]);
  const tracks = listOf(fieldsOf(timeline.tracks).children).map(fieldsOf);
  const items = tracks.map(({ children }) => listOf(children).map(fieldsOf));
  const count = items.reduce((sum, { length }) => sum + length, 0);
  if (count > MOST_ITEMS)
    throw new CutError([`tracks: there are ${count} items; the most there can be is ${MOST_ITEMS}`]);
  const first = items
    .flat()
    .map((item) => lengthOf(item))
    .find((length) => length !== undefined);
  const measured = timeOf(timeline.global_start_time) ?? first;
  const rate = measured && rateNear(measured.rate);
  if (!rate)
    throw new CutError([
      measured
        ? `tracks: ${measured.rate} frames per second is not from 1 to 240`
        : "tracks: no item says how long it is, with a rate",
    ]);
  const leftOut: LeftOut[] = [];
  const read = tracks.flatMap((track, index): CutTrack[] => {
    const name = textOf(track.name) ?? `Track ${index + 1}`;
    if (track.kind === "Audio") {
      leftOut.push({ place: name, what: "sound" });
      return [];
    }
    return [{ name, clips: clipsOf(items[index]!, name, rate, leftOut) }];
  });
  return { name: textOf(timeline.name) ?? "Timeline", rate, tracks: read, leftOut };
}

function clipsOf(items: readonly Fields[], track: string, rate: Rate, leftOut: LeftOut[]): CutClip[] {
  const clips: CutClip[] = [];
  const perSecond = rate.numerator / rate.denominator;
  let seconds = 0;
  for (const [index, item] of items.entries()) {
    const kind = kindOf(item);
    const place = `${track}, item ${index + 1}${textOf(item.name) === undefined ? "" : `, ${textOf(item.name)}`}`;
    // It lies over the items beside it and takes no time of its own.
    if (kind === "Transition") {
      leftOut.push({ place, what: "transition: the picture is cut there" });
      continue;
    }
    const length = lengthOf(item);
    if (!length) {
      leftOut.push({ place, what: `${kind || "something"} without a length` });
      continue;
    }
    const from = seconds;
    seconds += secondsOf(length);
    // Both ends are rounded, not the length: nothing drifts however many items there are.
    const range = { in: Math.round(from * perSecond), out: Math.round(seconds * perSecond) };
    if (range.out > MOST_FRAMES)
      throw new CutError([`${place}: it ends after frame ${MOST_FRAMES}, the most there can be`]);
    if (kind === "Gap" || range.out <= range.in) continue;
    if (kind !== "Clip") {
      leftOut.push({ place, what: `${kind || "something unknown"}: it is left empty` });
      continue;
    }
    clips.push(clipOf(item, range, length));
    for (const effect of [...listOf(item.effects), ...listOf(item.markers)].map(fieldsOf))
      leftOut.push({ place, what: textOf(effect.effect_name) ?? (kindOf(effect) || "an effect without a name") });
  }
  return clips;
}

function clipOf(item: Fields, range: FrameRange, length: Time): CutClip {
  const reference = referenceOf(item);
  const used = rangeOf(item.source_range);
  const available = rangeOf(reference.available_range);
  const sourceRate = rateNear((available ?? used)?.start.rate ?? length.rate) ?? { numerator: 25, denominator: 1 };
  // A file may say where its own count begins.
  const startS = used ? secondsOf(used.start) - (available ? secondsOf(available.start) : 0) : 0;
  const { target_url: address } = reference;
  const file = typeof address === "string" ? addressedFile(address) : undefined;
  return {
    name: textOf(item.name) ?? file ?? "Clip",
    ...(file === undefined ? {} : { file }),
    range,
    sourceFrame: Math.max(0, Math.round((startS * sourceRate.numerator) / sourceRate.denominator)),
    sourceRate,
    enabled: item.enabled !== false,
  };
}

const time = (value: number, rate: Rate) => ({
  OTIO_SCHEMA: "RationalTime.1",
  rate: rate.numerator / rate.denominator,
  value,
});

const timeRange = (start: number, length: number, rate: Rate) => ({
  OTIO_SCHEMA: "TimeRange.1",
  start_time: time(start, rate),
  duration: time(length, rate),
});

function childrenOf({ clips }: CutTrack, rate: Rate): object[] {
  let at = 0;
  return clips.flatMap(({ name, file, range, sourceFrame, sourceRate, enabled }) => {
    const gap = range.in - at;
    at = range.out;
    const start = (sourceFrame * sourceRate.denominator * rate.numerator) / (sourceRate.numerator * rate.denominator);
    const media = file
      ? {
          OTIO_SCHEMA: "ExternalReference.1",
          metadata: {},
          name: file,
          available_range: null,
          target_url: encodeURIComponent(file),
        }
      : { OTIO_SCHEMA: "MissingReference.1", metadata: {}, name: "", available_range: null };
    const clip = {
      OTIO_SCHEMA: "Clip.2",
      metadata: {},
      name,
      source_range: timeRange(start, range.out - range.in, rate),
      effects: [],
      markers: [],
      enabled,
      media_references: { DEFAULT_MEDIA: media },
      active_media_reference_key: "DEFAULT_MEDIA",
    };
    if (gap <= 0) return [clip];
    return [
      {
        OTIO_SCHEMA: "Gap.1",
        metadata: {},
        name: "",
        source_range: timeRange(0, gap, rate),
        effects: [],
        markers: [],
        enabled: true,
      },
      clip,
    ];
  });
}

/** A cut as an `.otio` file. Files go by their names: where they lie is another place on another machine. */
export function writeOtio({ name, rate, tracks }: Cut): string {
  const children = tracks.map((track) => ({
    OTIO_SCHEMA: "Track.1",
    metadata: {},
    name: track.name,
    kind: "Video",
    source_range: null,
    effects: [],
    markers: [],
    enabled: true,
    children: childrenOf(track, rate),
  }));
  const stack = {
    OTIO_SCHEMA: "Stack.1",
    metadata: {},
    name: "tracks",
    source_range: null,
    effects: [],
    markers: [],
    enabled: true,
    children,
  };
  const timeline = {
    OTIO_SCHEMA: "Timeline.1",
    metadata: {},
    name,
    global_start_time: time(0, rate),
    tracks: stack,
  };
  return `${JSON.stringify(timeline, null, 2)}\n`;
}

import { framesPerSecond, MOST_FRAMES, timecode, type FrameNumber, type Rate } from "../composition";
import { CutError, fileNameOf, MOST_ITEMS, type Cut, type CutClip, type CutTrack, type LeftOut } from "./cut";

interface Event {
  readonly source: string;
  readonly sourceIn: FrameNumber;
  readonly recordIn: FrameNumber;
  readonly recordOut: FrameNumber;
  file?: string;
}

const EVENT =
  /^\s*(\d{1,6})\s+(\S+)\s+(\S+)\s+(C|D|W\d{1,3}|K[A-Z]?)\s+(?:\d{1,4}\s+)?(\S+)\s+(\S+)\s+(\S+)\s+(\S+)\s*$/i;
const TIMECODE = /^(\d{1,2}):(\d{2}):(\d{2})([:;.])(\d{2,3})$/;

/**
 * Frames of a timecode. After a `;` it drops numbers: the first two (of 60, four) of each minute but every tenth are not
 * used (SMPTE ST 12-1).
 * @returns undefined for what is no timecode at this rate
 */
function framesAt(text: string, rate: Rate): FrameNumber | undefined {
  const [, ...parts] = TIMECODE.exec(text) ?? [];
  if (parts.length === 0) return undefined;
  const [hours, minutes, seconds, frames] = [parts[0], parts[1], parts[2], parts[4]].map(Number) as [
    number,
    number,
    number,
    number,
  ];
  const base = Math.round(framesPerSecond(rate));
  if (minutes >= 60 || seconds >= 60 || frames >= base) return undefined;
  const count = ((hours * 60 + minutes) * 60 + seconds) * base + frames;
  if (parts[3] !== ";" || base % 30 !== 0) return count;
  const all = hours * 60 + minutes;
  return count - (base / 15) * (all - Math.floor(all / 10));
}

/**
 * An edit list of the CMX 3600 kind, `.edl`: its cuts of pictures. Overlapping events go on tracks above each other, in
 * the order of the list.
 * @param rate at which its timecodes count, which the file does not say @throws CutError
 */
export function readEditList(text: string, rate: Rate): Cut {
  const leftOut: LeftOut[] = [];
  const events: Event[] = [];
  let name = "Edit list";
  let last: Event | undefined;
  for (const [index, line] of text.split(/\r\n|\r|\n/).entries()) {
    const place = `line ${index + 1}`;
    const [, title] = /^\s*TITLE:\s*(.+?)\s*$/i.exec(line) ?? [];
    if (title !== undefined) name = title.slice(0, 120);
    const [, from] = /^\s*\*?\s*(?:FROM CLIP NAME|SOURCE FILE):\s*(.+?)\s*$/i.exec(line) ?? [];
    if (from !== undefined && last) last.file = fileNameOf(from);
    if (/^\s*M2\s/.test(line)) leftOut.push({ place, what: "speed: it is played at its own" });
    if (!/^\s*\d/.test(line)) continue;
    last = undefined;
    const event = eventOf(line, place, rate, leftOut);
    if (event === undefined) continue;
    if (events.length >= MOST_ITEMS) throw new CutError([`${place}: there are more than ${MOST_ITEMS} events`]);
    events.push(event);
    last = event;
  }
  if (events.length === 0)
    throw new CutError([
      "No line is a cut of a picture, such as 001  AX  V  C  00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00",
    ]);
  const begins = events.reduce((least, { recordIn }) => Math.min(least, recordIn), Infinity);
  const clips = events.map((event): CutClip => ({
    name: event.file ?? event.source,
    ...(event.file === undefined ? {} : { file: event.file }),
    range: { in: event.recordIn - begins, out: event.recordOut - begins },
    sourceFrame: event.sourceIn,
    sourceRate: rate,
    enabled: true,
  }));
  return { name, rate, tracks: tracksOf(clips), leftOut };
}

function eventOf(line: string, place: string, rate: Rate, leftOut: LeftOut[]): Event | undefined {
  const [, , source, track, how, ...times] = EVENT.exec(line) ?? [];
  const give = (what: string): undefined => {
    leftOut.push({ place, what });
    return undefined;
  };
  if (source === undefined) return give("an event that cannot be read");
  if (!/V|B/i.test(track!)) return give("sound");
  const [sourceIn, , recordIn, recordOut] = times.map((one) => framesAt(one, rate)) as (FrameNumber | undefined)[];
  if (sourceIn === undefined || recordIn === undefined || recordOut === undefined)
    return give(`a timecode that is none at ${framesPerSecond(rate).toFixed(3)} frames per second`);
  if (recordOut - recordIn > MOST_FRAMES) return give("an event longer than a composition can be");
  if (recordOut < recordIn) return give("an event that ends before it begins");
  // The first line of a transition shows nothing.
  if (recordOut === recordIn) return undefined;
  if (!/^C$/i.test(how!)) give("transition: the picture is cut there");
  return { source, sourceIn, recordIn, recordOut };
}

/** Clips on as few tracks as there must be; one that would overlap lies on a track above. */
function tracksOf(clips: readonly CutClip[]): CutTrack[] {
  const tracks: { name: string; clips: CutClip[]; end: FrameNumber }[] = [];
  for (const clip of [...clips].sort((a, b) => a.range.in - b.range.in)) {
    let track = tracks.find(({ end }) => end <= clip.range.in);
    if (!track) {
      track = { name: `V${tracks.length + 1}`, clips: [], end: 0 };
      tracks.push(track);
    }
    track.clips.push(clip);
    track.end = clip.range.out;
  }
  return tracks.map(({ name, clips: own }) => ({ name, clips: own }));
}

/** A cut as an edit list: one event a clip, record times from 01:00:00:00, files by their names. */
export function writeEditList({ name, rate, tracks }: Cut): string {
  const clips = tracks.flatMap((track) => track.clips).sort((a, b) => a.range.in - b.range.in);
  const hour = 3600 * Math.round(framesPerSecond(rate));
  const plain = (text: string) => text.replace(/[\r\n]+/g, " ");
  const lines = clips.flatMap(({ file, name: called, range, sourceFrame, sourceRate }, index) => {
    const length = range.out - range.in;
    const start = Math.round(
      (sourceFrame * sourceRate.denominator * rate.numerator) / (sourceRate.numerator * rate.denominator),
    );
    const times = [start, start + length, hour + range.in, hour + range.out].map((frame) => timecode(frame, rate));
    return [
      `${String(index + 1).padStart(3, "0")}  AX       V     C        ${times.join(" ")}`,
      `* FROM CLIP NAME: ${plain(file ?? called)}`,
    ];
  });
  return [`TITLE: ${plain(name)}`, "FCM: NON-DROP FRAME", "", ...lines, ""].join("\n");
}

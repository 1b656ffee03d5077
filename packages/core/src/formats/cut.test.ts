import fc from "fast-check";
import { referencedClip } from "../../../../testing/documents";
import { isPlaceholder, mainComposition, parseDocument, type Rate } from "../composition";
import { buildGraph, FULL_QUALITY, inOrder } from "../graph";
import { CutError, type Cut, type CutClip } from "./cut";
import { cutDocument, documentCut } from "./cutDocument";
import { readEditList, writeEditList } from "./editList";
import { readOtio, writeOtio } from "./otio";

const rate = (numerator: number, denominator = 1): Rate => ({ numerator, denominator });
const RATES = [rate(24_000, 1001), rate(24), rate(25), rate(30_000, 1001), rate(30), rate(50), rate(60)];
const SIZE = { width: 1920, height: 1080 };

const time = (value: number, of: number) => ({ OTIO_SCHEMA: "RationalTime.1", value, rate: of });
const span = (start: number, length: number, of: number) => ({
  OTIO_SCHEMA: "TimeRange.1",
  start_time: time(start, of),
  duration: time(length, of),
});
const otio = (tracks: object[]) =>
  JSON.stringify({
    OTIO_SCHEMA: "Timeline.1",
    name: "Estuary cut",
    tracks: { OTIO_SCHEMA: "Stack.1", children: tracks },
  });
const external = (url: string, available?: object) => ({
  OTIO_SCHEMA: "ExternalReference.1",
  target_url: url,
  available_range: available ?? null,
});

/** Clips one after the other with gaps, on some tracks, as a cut that was read says them. */
const cuts: fc.Arbitrary<Cut> = fc
  .record({
    rate: fc.constantFrom(...RATES),
    tracks: fc.array(
      fc.array(fc.tuple(fc.nat(90), fc.integer({ min: 1, max: 500 }), fc.nat(5000), fc.nat(3)), {
        minLength: 1,
        maxLength: 6,
      }),
      { minLength: 1, maxLength: 4 },
    ),
  })
  .map(({ rate: own, tracks }) => ({
    name: "Estuary cut",
    rate: own,
    leftOut: [],
    tracks: tracks.map((clips, index) => {
      let at = 0;
      return {
        name: `V${index + 1}`,
        clips: clips.map(([gap, length, sourceFrame, file]): CutClip => {
          const range = { in: at + gap, out: at + gap + length };
          at = range.out;
          return { name: `dawn ${file}`, file: `dawn ${file}.mp4`, range, sourceFrame, sourceRate: own, enabled: true };
        }),
      };
    }),
  }));

describe("OpenTimelineIO", () => {
  test("clips, gaps, rates and time ranges are read, of either version of a clip; what is not taken is named", () => {
    const read = readOtio(
      otio([
        {
          OTIO_SCHEMA: "Track.1",
          kind: "Video",
          name: "Pictures",
          children: [
            {
              OTIO_SCHEMA: "Clip.2",
              name: "Dawn",
              source_range: span(90_048, 48, 25),
              media_references: {
                DEFAULT_MEDIA: external("file:///D:/Flyway/dawn%20%23%31.mp4", span(90_000, 900, 25)),
              },
              active_media_reference_key: "DEFAULT_MEDIA",
              markers: [{ OTIO_SCHEMA: "Marker.2", name: "here" }],
            },
            { OTIO_SCHEMA: "Transition.1", name: "soft", in_offset: time(5, 25), out_offset: time(5, 25) },
            { OTIO_SCHEMA: "Gap.1", source_range: span(0, 12, 25) },
            { OTIO_SCHEMA: "Clip.1", name: "", media_reference: external("reeds.mov", span(0, 48, 24)) },
            { OTIO_SCHEMA: "Stack.1", name: "group", source_range: span(0, 25, 25), children: [] },
            { OTIO_SCHEMA: "Clip.1", name: "Nothing", source_range: span(0, 10, 25), enabled: false },
          ],
        },
        { OTIO_SCHEMA: "Track.1", kind: "Audio", name: "Sound", children: [] },
      ]),
    );
    expect(read.rate).toEqual(rate(25));
    expect(read.tracks).toHaveLength(1);
    expect(read.tracks[0]!.clips).toEqual([
      {
        name: "Dawn",
        file: "dawn #1.mp4",
        range: { in: 0, out: 48 },
        sourceFrame: 48,
        sourceRate: rate(25),
        enabled: true,
      },
      {
        name: "reeds.mov",
        file: "reeds.mov",
        range: { in: 60, out: 110 },
        sourceFrame: 0,
        sourceRate: rate(24),
        enabled: true,
      },
      { name: "Nothing", range: { in: 135, out: 145 }, sourceFrame: 0, sourceRate: rate(25), enabled: false },
    ]);
    expect(read.leftOut).toEqual([
      { place: "Pictures, item 1, Dawn", what: "Marker" },
      { place: "Pictures, item 2, soft", what: "transition: the picture is cut there" },
      { place: "Pictures, item 5, group", what: "Stack: it is left empty" },
      { place: "Sound", what: "sound" },
    ]);
  });

  test("what is left empty takes the time that it took, however it is nested, and long addresses are read whole", () => {
    const gap = (length: number) => ({ OTIO_SCHEMA: "Gap.1", source_range: span(0, length, 25) });
    const soft = { OTIO_SCHEMA: "Transition.1", in_offset: time(5, 25), out_offset: time(5, 25) };
    const track = { OTIO_SCHEMA: "Track.1", children: [gap(30), soft, gap(20)] };
    const stack = {
      OTIO_SCHEMA: "Stack.1",
      name: "group",
      children: [track, { OTIO_SCHEMA: "Track.1", children: [gap(8)] }],
    };
    const url = `file:///${"deep/".repeat(100)}dawn.mp4`;
    const clip = { OTIO_SCHEMA: "Clip.1", name: "Dawn", media_reference: external(url), source_range: span(0, 10, 25) };
    const { tracks, leftOut } = readOtio(otio([{ kind: "Video", children: [stack, clip] }]));
    expect(tracks[0]!.clips).toMatchObject([{ file: "dawn.mp4", range: { in: 50, out: 60 } }]);
    expect(leftOut).toEqual([{ place: "Track 1, item 1, group", what: "Stack: it is left empty" }]);
  });

  test("what is written is read as it was", () => {
    fc.assert(fc.property(cuts, (cut) => expect(readOtio(writeOtio(cut))).toEqual(cut)));
  });

  test("nothing drifts over thousands of clips of another rate", () => {
    const clip = { OTIO_SCHEMA: "Clip.1", media_reference: external("a.mp4"), source_range: span(0, 1, 30_000 / 1001) };
    const { tracks } = readOtio(
      otio([
        {
          kind: "Video",
          children: [{ OTIO_SCHEMA: "Gap.1", source_range: span(0, 24, 24) }, ...Array<object>(9000).fill(clip)],
        },
      ]),
    );
    const last = tracks[0]!.clips.at(-1)!;
    expect(last.range.out).toBe(24 + Math.round((9000 * 1001 * 24) / 30_000));
  });

  test("what is no timeline is refused with what would be right, however deep or long it is", () => {
    const of = (text: string) => () => readOtio(text);
    expect(of("{ nope")).toThrow(/The file is not JSON/);
    expect(of('{"OTIO_SCHEMA":"Clip.1"}')).toThrow('OTIO_SCHEMA: expected "Timeline.1", found "Clip.1"');
    expect(of(otio([]))).toThrow("no item says how long it is");
    expect(of(otio([{ children: [{ OTIO_SCHEMA: "Gap.1", source_range: span(0, 5, 9000) }] }]))).toThrow(
      "not from 1 to 240",
    );
    expect(of(otio([{ children: [{ OTIO_SCHEMA: "Gap.1", source_range: span(0, 1e12, 25) }] }]))).toThrow(
      "ends after frame",
    );
    expect(of("[".repeat(20_000))).toThrow(CutError);
    expect(of(`{"tracks":${'{"children":['.repeat(10_000)}${"]}".repeat(10_000)},"OTIO_SCHEMA":"Timeline.1"}`)).toThrow(
      CutError,
    );
  });
});

describe("edit lists", () => {
  const LIST = `TITLE: ESTUARY CUT
FCM: NON-DROP FRAME

001  DAWN     V     C        00:00:02:00 00:00:04:00 01:00:00:00 01:00:02:00
* FROM CLIP NAME: dawn.mp4
002  AX       AA    C        00:00:00:00 00:00:04:00 01:00:00:00 01:00:04:00
003  REEDS    V     D    012 00:00:00:00 00:00:02:00 01:00:01:00 01:00:03:00
M2   REEDS       050.0                00:00:00:00
004  BAD      V     C        00:00:09:00 00:00:08:00 01:00:09:00 01:00:08:00
005  WORSE    V     C        00:00:00:99 00:00:08:00 01:00:09:00 01:00:10:00
006  nonsense
`;

  test("cuts of pictures are read, an overlap lies above, and what is not taken is named by its line", () => {
    const read = readEditList(LIST.replaceAll("\n", "\r\n"), rate(25));
    expect(read.name).toBe("ESTUARY CUT");
    expect(read.tracks.map(({ clips }) => clips.map(({ name, range }) => [name, range]))).toEqual([
      [["dawn.mp4", { in: 0, out: 50 }]],
      [["REEDS", { in: 25, out: 75 }]],
    ]);
    expect(read.tracks[0]!.clips[0]).toMatchObject({ file: "dawn.mp4", sourceFrame: 50 });
    expect(read.leftOut).toEqual([
      { place: "line 6", what: "sound" },
      { place: "line 7", what: "transition: the picture is cut there" },
      { place: "line 8", what: "speed: it is played at its own" },
      { place: "line 9", what: "an event that ends before it begins" },
      { place: "line 10", what: "a timecode that is none at 25.000 frames per second" },
      { place: "line 11", what: "an event that cannot be read" },
    ]);
    expect(() => readEditList("TITLE: nothing", rate(25))).toThrow("No line is a cut of a picture");
  });

  test("timecode that drops numbers is counted without them", () => {
    const at = (from: string, to: string) =>
      readEditList(`001 A V C 00:00:00:00 00:00:01:00 ${from} ${to}`, rate(30_000, 1001)).tracks[0]!.clips[0]!.range
        .out;
    // One minute is 1,800 frames less the two whose numbers are not used; ten minutes are 17,982.
    expect(at("00:00:00;00", "00:01:00;02")).toBe(1800);
    expect(at("00:00:00;00", "00:10:00;00")).toBe(17_982);
    expect(at("00:00:00:00", "00:01:00:02")).toBe(1802);
  });

  test("what is written is read as it was, on as few tracks", () => {
    fc.assert(
      fc.property(cuts, (cut) => {
        const read = readEditList(writeEditList(cut), cut.rate);
        const placed = (of: Cut) => of.tracks.flatMap(({ clips }) => clips);
        const begins = Math.min(...placed(cut).map(({ range }) => range.in));
        const texts = (clips: readonly CutClip[], by: number) =>
          clips.map((clip) => [clip.file, clip.range.in - by, clip.range.out - by, clip.sourceFrame].join()).sort();
        expect(texts(placed(read), 0)).toEqual(texts(placed(cut), begins));
      }),
    );
  });
});

test("readers throw their own errors only, whatever they are given", () => {
  const source = writeOtio({ ...fc.sample(cuts, { seed: 3, numRuns: 1 })[0]! });
  const list = "001  DAWN  V  C  00:00:02:00 00:00:04:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: dawn.mp4\n".repeat(
    4,
  );
  const mutated = (text: string) =>
    fc
      .array(
        fc.tuple(
          fc.nat(text.length - 1),
          fc.oneof(fc.string({ maxLength: 4 }), fc.constantFrom("null", "[]", "-1", "1e999", "{}")),
        ),
        { minLength: 1, maxLength: 4 },
      )
      .map((changes) => changes.reduce((now, [at, put]) => now.slice(0, at) + put + now.slice(at + put.length), text));
  const tries = (read: () => Cut) => {
    try {
      const cut = read();
      for (const { clips } of cut.tracks)
        for (const { range, sourceFrame } of clips) {
          expect(range.out).toBeGreaterThan(range.in);
          expect(Number.isSafeInteger(sourceFrame)).toBe(true);
        }
    } catch (error) {
      if (!(error instanceof CutError)) throw error;
    }
  };
  const numRuns = 10_000;
  fc.assert(
    fc.property(mutated(source), (text) => tries(() => readOtio(text))),
    { numRuns },
  );
  fc.assert(
    fc.property(mutated(list), (text) => tries(() => readEditList(text, rate(25)))),
    { numRuns },
  );
});

describe("the composition of a cut", () => {
  const cut: Cut = {
    name: "Estuary cut",
    rate: rate(24),
    leftOut: [],
    tracks: [
      {
        name: "V1",
        clips: [
          {
            name: "Dawn",
            file: "dawn.mp4",
            range: { in: 0, out: 48 },
            sourceFrame: 10,
            sourceRate: rate(25),
            enabled: true,
          },
          {
            name: "Reeds",
            file: "reeds.mp4",
            range: { in: 48, out: 60 },
            sourceFrame: 900,
            sourceRate: rate(25),
            enabled: true,
          },
        ],
      },
      {
        name: "V2",
        clips: [
          {
            name: "Lost",
            file: "lost.mp4",
            range: { in: 12, out: 24 },
            sourceFrame: 5,
            sourceRate: rate(25),
            enabled: true,
          },
        ],
      },
    ],
  };
  const dawn = referencedClip({ width: 3840, height: 2160, rate: rate(25), duration: 200 });
  const reeds = referencedClip({ rate: rate(25), duration: 100 }, { fingerprint: "1".repeat(32) });
  const found = new Map([
    ["dawn.mp4", dawn],
    ["reeds.mp4", reeds],
  ]);

  test("has a layer each clip, shows the right frame of the file, and names what was not found", () => {
    const { document, leftOut, missing } = cutDocument(cut, found, SIZE, "8-bit");
    expect(parseDocument(document)).toEqual(document);
    const main = mainComposition(document);
    expect([main.width, main.height, main.duration]).toEqual([3840, 2160, 60]);
    expect(main.layers.map(({ name, range, start }) => [name, range.in, start])).toEqual([
      ["Dawn", 0, 0],
      ["Reeds", 48, 48],
      ["Lost", 12, 12],
    ]);
    const shown = inOrder(buildGraph(document, 24, FULL_QUALITY).root).find(({ kind }) => kind === "clip");
    expect(shown?.kind === "clip" && shown.parameters.frame).toBe(10 + 25);
    expect(missing).toEqual(["lost.mp4"]);
    expect(Object.values(document.assets).map((one) => one.kind === "clip" && one.file && isPlaceholder(one))).toEqual([
      false,
      false,
      true,
    ]);
    expect(leftOut).toEqual([
      { place: "V1, Reeds", what: "it begins at frame 900 of a file of 100: shown from its first" },
    ]);
    const many = Array.from({ length: 501 }, (_, index) => ({ ...cut.tracks[0]!.clips[0]!, file: `${index}.mp4` }));
    expect(() => cutDocument({ ...cut, tracks: [{ name: "V1", clips: many }] }, found, SIZE, "8-bit")).toThrow(
      "names 501 files; the most there can be is 500",
    );
    expect(() => cutDocument({ ...cut, tracks: [] }, found, SIZE, "8-bit")).toThrow("no clips of pictures");
  });

  test("goes out again as the cut that it came from", () => {
    const near = {
      ...cut,
      tracks: cut.tracks.map((track) => ({ ...track, clips: track.clips.filter(({ name }) => name !== "Reeds") })),
    };
    const { document } = cutDocument(near, found, SIZE, "8-bit");
    expect(documentCut(document).tracks.map(({ clips }) => clips)).toEqual(
      near.tracks.map(({ clips }) =>
        clips.map((clip) => ({ ...clip, file: clip.file === "lost.mp4" ? "lost.mp4" : "dawn.mp4" })),
      ),
    );
  });

  test("of thousands of clips each track is nested, and one of too many is refused", () => {
    const clips = Array.from({ length: 400 }, (_, index): CutClip => ({
      name: `Dawn ${index}`,
      file: "dawn.mp4",
      range: { in: index * 10, out: index * 10 + 10 },
      sourceFrame: index % 100,
      sourceRate: rate(25),
      enabled: true,
    }));
    const tracks = Array.from({ length: 3 }, (_, index) => ({ name: `V${index + 1}`, clips }));
    const { document } = cutDocument({ ...cut, tracks }, found, SIZE, "8-bit");
    expect(parseDocument(document)).toEqual(document);
    expect(mainComposition(document).layers.map(({ name }) => name)).toEqual(["V1", "V2", "V3"]);
    expect(inOrder(buildGraph(document, 4, FULL_QUALITY).root).filter(({ kind }) => kind === "clip")).toHaveLength(1);
    expect(() =>
      cutDocument({ ...cut, tracks: [{ name: "V1", clips: [...clips, ...clips] }] }, found, SIZE, "8-bit"),
    ).toThrow("V1: it has 800 clips");
  });
});

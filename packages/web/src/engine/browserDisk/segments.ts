import {
  DEFAULT_LOCATION_SETTINGS,
  RECENT_MS,
  type Bytes,
  type ContentKey,
  type FrameItem,
  type LocationSettings,
  type Milliseconds,
} from "@kinetocache/core";
import PQueue from "p-queue";
import { Failed } from "../frameStorage";
import type { ContentHash } from "./contentHash";
import {
  readRecord,
  RECORD_STEP,
  RECORD_HEADER,
  recordBytes,
  REMOVED_AT,
  USED_AT,
  writeRecordHeader,
  type FrameRecord,
} from "./record";

/** A file that is read and written at once, without waiting. */
export interface SegmentFile {
  read(target: Uint8Array, at: number): number;
  write(source: Uint8Array, at: number): number;
  size(): number;
  truncate(size: number): void;
  flush(): void;
  close(): void;
}

/** Where segments are kept. */
export interface SegmentFolder {
  names(): Promise<string[]>;
  open(name: string): Promise<SegmentFile>;
  remove(name: string): Promise<void>;
}

interface Segment {
  readonly name: string;
  readonly file: SegmentFile;
  size: Bytes;
  readonly live: Set<ContentKey>;
}

type NewRecord = Pick<FrameRecord, "key" | "owner" | "costMs"> & { readonly lastUsedMs?: number };

interface Held extends FrameRecord {
  readonly segment: Segment;
  /** Where its content starts. */
  readonly at: number;
}

// Opening a file takes a millisecond or more, so that many frames share one; the space of one comes back at once.
const SEGMENT_BYTES = 32 * 2 ** 20;
// Writing a segment anew to win less than this share of it is not worth it.
const LEAST_WON = 1 / 8;
const NAME = /^segment-(\d{9})$/;

/**
 * Frames one after the other in a few large files: each a header that says all the index needs, then the file of the
 * frame. Only the end of the last segment is ever written, so that a torn write loses the frame that was being
 * written and nothing else. Space is given back by the segment.
 */
export class Segments {
  private readonly segments: Segment[] = [];
  private readonly frames = new Map<ContentKey, Held>();
  private serial = 0;
  /** Changes run one after the other; reading goes on beside them. */
  private readonly changes = new PQueue({ concurrency: 1 });
  private settings: LocationSettings = DEFAULT_LOCATION_SETTINGS;

  private constructor(
    private readonly folder: SegmentFolder,
    private readonly hash: ContentHash,
    private readonly segmentBytes: Bytes,
  ) {}

  /** Opens what is there; the index is read from the headers. @param segmentBytes largest size of a shared file */
  static async open(folder: SegmentFolder, hash: ContentHash, segmentBytes: Bytes = SEGMENT_BYTES): Promise<Segments> {
    const segments = new Segments(folder, hash, segmentBytes);
    const names = (await folder.names()).filter((name) => NAME.test(name)).sort();
    try {
      for (const name of names) await segments.load(name);
    } catch (error) {
      // What stays open could not be opened again.
      for (const { file } of segments.segments) file.close();
      throw error;
    }
    return segments;
  }

  private async load(name: string): Promise<void> {
    const file = await this.folder.open(name);
    this.serial = Math.max(this.serial, Number(NAME.exec(name)![1]));
    const segment: Segment = { name, file, size: 0, live: new Set() };
    this.segments.push(segment);
    for (const { record, at } of recordsIn(file)) {
      segment.size = at + recordBytes(record.size);
      if (!record.removed) this.hold({ ...record, segment, at: at + RECORD_HEADER });
    }
    // What follows the last whole record was being written.
    if (segment.size < file.size()) file.truncate(segment.size);
    if (segment.live.size === 0) await this.drop(segment);
  }

  private hold(held: Held): void {
    this.frames.get(held.key)?.segment.live.delete(held.key);
    this.frames.set(held.key, held);
    held.segment.live.add(held.key);
  }

  get size(): number {
    return this.frames.size;
  }

  get bytes(): Bytes {
    return this.segments.reduce((sum, { size }) => sum + size, 0);
  }

  /** @throws Failed when the cap cannot be kept: holding the cap comes first */
  configure(settings: LocationSettings): Promise<void> {
    return this.enqueue(() => {
      this.settings = settings;
      return this.makeRoom(0, 0);
    });
  }

  private enqueue<T>(work: () => Promise<T>): Promise<T> {
    return this.changes.add(work);
  }

  keys(): [ContentKey, Milliseconds][] {
    return [...this.frames.values()].map(({ key, costMs }) => [key, costMs]);
  }

  items(): FrameItem[] {
    return [...this.frames.values()].map(({ key, owner, size, lastUsedMs, costMs }) => ({
      key,
      owner,
      bytes: recordBytes(size),
      lastUsedMs,
      costMs,
    }));
  }

  /** What is known of a frame; undefined when it is not held. */
  describe(key: ContentKey): FrameRecord | undefined {
    return this.frames.get(key);
  }

  /**
   * Reads a frame's file.
   * @param target of at least its size
   * @throws Failed when it is not held, or was found damaged and has been removed
   */
  async read(key: ContentKey, target: Uint8Array): Promise<Uint8Array> {
    const held = this.frames.get(key);
    if (!held) throw new Failed({ kind: "refused", code: "not-held", detail: `No frame ${key} is held` });
    const content = target.subarray(0, held.size);
    const read = held.segment.file.read(content, held.at);
    if (read !== held.size || this.hash.of(content) !== held.hash) {
      await this.remove([key]);
      throw new Failed({ kind: "refused", code: "damaged", detail: `Frame ${key} was damaged and has been removed` });
    }
    this.noteUse(held);
    return content;
  }

  /** Use is written down now and then, so that it is known after a restart which frames are old. */
  private noteUse(held: Held): void {
    const now = Date.now();
    if (now - held.lastUsedMs > RECENT_MS) {
      const time = new Uint8Array(8);
      new DataView(time.buffer).setFloat64(0, now);
      writeAll(held.segment.file, time, held.at - RECORD_HEADER + USED_AT);
    }
    held.lastUsedMs = now;
  }

  /** @throws Failed when neither cap nor browser has room */
  write(frame: NewRecord, content: Uint8Array): Promise<void> {
    return this.enqueue(async () => {
      if (this.frames.has(frame.key)) return;
      await this.makeRoom(recordBytes(content.byteLength), RECENT_MS);
      await this.append(frame, content);
    });
  }

  private async append(frame: NewRecord, content: Uint8Array): Promise<void> {
    const needed = recordBytes(content.byteLength);
    const segment = await this.segmentFor(needed);
    const { size: start, file } = segment;
    const record: FrameRecord = {
      key: frame.key,
      owner: frame.owner,
      costMs: frame.costMs,
      size: content.byteLength,
      hash: this.hash.of(content),
      lastUsedMs: frame.lastUsedMs ?? Date.now(),
      removed: false,
    };
    try {
      // The header last: without it there is no frame.
      writeAll(file, content, start + RECORD_HEADER);
      file.truncate(start + needed);
      writeAll(file, writeRecordHeader(record), start);
      file.flush();
    } catch (error) {
      file.truncate(start);
      if (start === 0) await this.drop(segment);
      throw asFailed(error);
    }
    segment.size = start + needed;
    this.hold({ ...record, segment, at: start + RECORD_HEADER });
  }

  private async segmentFor(needed: Bytes): Promise<Segment> {
    const last = this.segments.at(-1);
    if (last && last.size + needed <= this.segmentBytes) return last;
    const name = `segment-${String(++this.serial).padStart(9, "0")}`;
    const segment: Segment = { name, file: await this.folder.open(name), size: 0, live: new Set() };
    this.segments.push(segment);
    return segment;
  }

  /**
   * Removes frames. Segments that hold others too are written anew without them, so that the space comes back.
   * @param which undefined for all
   */
  remove(which?: readonly ContentKey[]): Promise<void> {
    return this.enqueue(async () => {
      const touched = new Set<Segment>();
      for (const key of which ?? [...this.frames.keys()]) {
        const held = this.frames.get(key);
        if (!held) continue;
        this.forget(held);
        touched.add(held.segment);
      }
      for (const segment of touched) await this.compact(segment);
    });
  }

  private forget({ key, segment, at }: Held): void {
    this.frames.delete(key);
    segment.live.delete(key);
    writeAll(segment.file, Uint8Array.of(1), at - RECORD_HEADER + REMOVED_AT);
  }

  private async compact(segment: Segment): Promise<void> {
    const kept = [...segment.live].map((key) => this.frames.get(key)!);
    const liveBytes = kept.reduce((sum, { size }) => sum + recordBytes(size), 0);
    const isLittle = segment.size - liveBytes < segment.size * LEAST_WON;
    // Both are there for a moment.
    if (isLittle || this.bytes + liveBytes > this.settings.capBytes) return;
    const others = this.segments.splice(this.segments.indexOf(segment), 1);
    try {
      for (const held of kept) {
        const content = new Uint8Array(held.size);
        segment.file.read(content, held.at);
        // What is damaged is left behind.
        if (this.hash.of(content) === held.hash) await this.append(held, content);
      }
    } catch (error) {
      this.segments.push(...others);
      throw error;
    }
    await this.drop(segment);
  }

  private async drop(segment: Segment): Promise<void> {
    const index = this.segments.indexOf(segment);
    if (index >= 0) this.segments.splice(index, 1);
    for (const key of segment.live) this.frames.delete(key);
    segment.live.clear();
    segment.file.close();
    await this.folder.remove(segment.name);
  }

  /** Drops whole segments by the rule until `needed` more bytes fit below the cap. */
  private async makeRoom(needed: Bytes, spareMs: Milliseconds): Promise<void> {
    const { capBytes, rule } = this.settings;
    if (this.bytes + needed <= capBytes) return;
    const now = Date.now();
    const weighed = this.segments.map((segment) => ({ segment, ...this.weigh(segment) }));
    weighed.sort((a, b) => (rule === "least recently used" ? a.lastUsedMs - b.lastUsedMs : a.costAByte - b.costAByte));
    for (const { segment, lastUsedMs } of weighed) {
      if (this.bytes + needed <= capBytes) return;
      if (now - lastUsedMs >= spareMs) await this.drop(segment);
    }
    if (this.bytes + needed > capBytes)
      throw new Failed({
        kind: "refused",
        code: "cap-reached",
        detail:
          "The browser's storage has reached its cap and everything in it was used in the last 10 minutes; raise the cap or clear it",
      });
  }

  private weigh({ live, size }: Segment): { readonly lastUsedMs: number; readonly costAByte: number } {
    const frames = [...live].map((key) => this.frames.get(key)!);
    return {
      lastUsedMs: Math.max(0, ...frames.map(({ lastUsedMs }) => lastUsedMs)),
      costAByte: frames.reduce((sum, { costMs }) => sum + costMs, 0) / Math.max(1, size),
    };
  }
}

// Bytes that are searched at a time for a header.
const SEARCHED = 2 ** 20;

/** The whole records of a file, in order. Where a header is damaged, the next one is looked for. */
function* recordsIn(file: SegmentFile): Generator<{ readonly record: FrameRecord; readonly at: number }> {
  const end = file.size();
  const header = new Uint8Array(RECORD_HEADER);
  for (let at = 0; at + RECORD_HEADER <= end;) {
    file.read(header, at);
    const record = readRecord(header);
    if (record && at + recordBytes(record.size) <= end) {
      yield { record, at };
      at += recordBytes(record.size);
    } else at = nextHeader(file, at + RECORD_STEP, end);
  }
}

/** Where the next whole header starts, from a place on; `end` where there is none. */
function nextHeader(file: SegmentFile, from: number, end: number): number {
  const part = new Uint8Array(SEARCHED + RECORD_HEADER);
  for (let start = from; start + RECORD_HEADER <= end; start += SEARCHED) {
    const length = file.read(part, start);
    for (let at = 0; at < SEARCHED && at + RECORD_HEADER <= length; at += RECORD_STEP)
      if (readRecord(part.subarray(at, at + RECORD_HEADER))) return start + at;
  }
  return end;
}

function writeAll(file: SegmentFile, source: Uint8Array, at: number): void {
  const written = file.write(source, at);
  if (written !== source.byteLength)
    throw new Failed({ kind: "refused", code: "drive-full", detail: "The browser has no room for another frame" });
}

function asFailed(error: unknown): unknown {
  if (!(error instanceof DOMException) || error.name !== "QuotaExceededError") return error;
  return new Failed({ kind: "refused", code: "drive-full", detail: "The browser has no room for another frame" });
}

import {
  BROWSER_LOCATION,
  DEFAULT_LOCATION_SETTINGS,
  isSampleDue,
  withSample,
  type Bytes,
  type ContentKey,
  type FillSample,
  type FrameItem,
  type LocationCondition,
  type LocationSettings,
} from "@kinetocache/core";
import type { FrameCodec } from "../frameCodec";
import {
  answer,
  Failed,
  type Answer,
  type FetchedPicture,
  type FrameStorage,
  type Listing,
  type OutgoingFrame,
  type Target,
} from "../frameStorage";
import { SpareBuffers } from "../spareBuffers";
import { WayRate } from "../wayRate";
import type { ContentHash } from "./contentHash";
import { Segments, type SegmentFile, type SegmentFolder } from "./segments";

/** The browser's own storage as a location. */
export interface BrowserDiskState {
  readonly condition: LocationCondition;
  readonly settings: LocationSettings;
  readonly frames: number;
  readonly bytes: Bytes;
  /** What the browser still gives this page. */
  readonly freeBytes: Bytes;
  readonly growth: readonly FillSample[];
}

/** What the browser offers. */
export interface BrowserPlace {
  /** @throws DOMException when another tab has it */
  readonly openFolder: () => Promise<SegmentFolder>;
  readonly freeBytes: () => Promise<Bytes>;
}

interface Notes {
  readonly version?: number;
  readonly settings: LocationSettings;
  readonly growth: readonly FillSample[];
}

const NOTES = "notes.json";
// Raised when the notes take another form.
const VERSION = 1;

/** Frames in the browser's own storage. One tab has it at a time; the others are told so. */
export class BrowserDisk implements FrameStorage {
  private readonly spares = new SpareBuffers();
  private settings = DEFAULT_LOCATION_SETTINGS;
  private growth: readonly FillSample[] = [];
  private segments: Segments | undefined;
  private notes: SegmentFile | undefined;
  private opening: Promise<Segments> | undefined;
  private condition: LocationCondition = { kind: "refused", detail: "not opened yet" };
  private readonly way = new WayRate();

  constructor(
    private readonly place: BrowserPlace,
    private readonly codec: FrameCodec,
    private readonly hash: ContentHash,
  ) {}

  /** @throws Failed while another tab has it, or the browser refuses it */
  private async open(): Promise<Segments> {
    if (this.segments) return this.segments;
    this.opening ??= this.openFolder().finally(() => (this.opening = undefined));
    return this.opening;
  }

  private async openFolder(): Promise<Segments> {
    try {
      const folder = await this.place.openFolder();
      // Who has this file has the folder.
      this.notes = await folder.open(NOTES);
      await this.readNotes(this.notes);
      const segments = await Segments.open(folder, this.hash);
      if (this.settings.clearOnClose) await segments.remove();
      await segments.configure(this.settings);
      this.segments = segments;
      this.condition = { kind: "open" };
      return segments;
    } catch (error) {
      this.notes?.close();
      this.notes = undefined;
      const { name, message } = error as Error;
      this.condition =
        name === "NoModificationAllowedError"
          ? { kind: "in use", detail: "The browser's storage is in use by another tab of Kinetocache" }
          : { kind: "refused", detail: `The browser does not give this page its storage: ${message}` };
      throw new Failed({ kind: "refused", code: "in-use", detail: this.condition.detail });
    }
  }

  private async readNotes(file: SegmentFile): Promise<void> {
    const bytes = new Uint8Array(file.size());
    file.read(bytes, 0);
    if (bytes.byteLength === 0) return;
    try {
      const { version, settings, growth } = JSON.parse(new TextDecoder().decode(bytes)) as Notes;
      // What another release wrote is checked, by what would be most of this worker's program.
      this.settings = version === VERSION ? settings : (await import("./settings")).settingsOf(settings);
      this.growth = growth.filter(({ atMs, bytes: full }) => Number.isFinite(atMs) && Number.isFinite(full));
    } catch (error) {
      console.warn(`The notes of the browser's storage were damaged (${(error as Error).message}); defaults apply`);
    }
  }

  private writeNotes(): void {
    const notes: Notes = { version: VERSION, settings: this.settings, growth: this.growth };
    const bytes = new TextEncoder().encode(JSON.stringify(notes));
    this.notes?.write(bytes, 0);
    this.notes?.truncate(bytes.byteLength);
    this.notes?.flush();
  }

  async list(): Promise<Answer<Listing>> {
    return answer(async () => {
      const segments = await this.open();
      const { packing, deepest } = this.settings;
      return {
        frames: [{ location: BROWSER_LOCATION, frames: segments.keys() }],
        targets: [{ location: BROWSER_LOCATION, packing, deepest }],
      };
    });
  }

  async fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>> {
    return answer(async () => {
      const segments = await this.open();
      const { size, owner, costMs } = segments.describe(key) ?? { size: 0, owner: "", costMs: 0 };
      const buffer = this.spares.take(size);
      try {
        const start = performance.now();
        const file = await segments.read(key, new Uint8Array(buffer));
        this.way.note(size, performance.now() - start);
        return { ...this.codec.decode(file, spare), bytes: size, location: BROWSER_LOCATION, owner, costMs };
      } finally {
        this.spares.giveBack(buffer);
      }
    });
  }

  async store({ key, owner, costMs, picture }: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    const stored = await answer(async () => {
      const segments = await this.open();
      const { parts, bytes } = this.codec.encode(picture, target, this.way.perSecond);
      const buffer = this.spares.take(bytes);
      try {
        let at = 0;
        for (const part of parts) {
          new Uint8Array(buffer, at, part.byteLength).set(part);
          at += part.byteLength;
        }
        await segments.write({ key, owner, costMs }, new Uint8Array(buffer, 0, bytes));
      } finally {
        this.spares.giveBack(buffer);
      }
      return bytes;
    });
    // Packing cannot be chosen before it is known what the way carries.
    if (stored.ok && target.packing === "automatic" && this.way.perSecond === undefined) await this.fetch(key);
    return stored;
  }

  async remove(key: ContentKey): Promise<Answer<void>> {
    return this.clear([key]);
  }

  /** @param keys undefined for all */
  async clear(keys?: readonly ContentKey[]): Promise<Answer<void>> {
    return answer(async () => (await this.open()).remove(keys));
  }

  async change(settings: Partial<LocationSettings>): Promise<Answer<void>> {
    return answer(async () => {
      const segments = await this.open();
      this.settings = { ...this.settings, ...settings };
      this.writeNotes();
      await segments.configure(this.settings);
    });
  }

  async items(): Promise<Answer<readonly FrameItem[]>> {
    return answer(async () => (await this.open()).items());
  }

  async state(): Promise<BrowserDiskState> {
    await this.open().catch((error: unknown) => {
      if (!(error instanceof Failed)) throw error;
    });
    const { segments, settings, condition } = this;
    const bytes = segments?.bytes ?? 0;
    const freeBytes = await this.place.freeBytes();
    return { condition, settings, frames: segments?.size ?? 0, bytes, freeBytes, growth: this.sampleGrowth(bytes) };
  }

  private sampleGrowth(bytes: Bytes): readonly FillSample[] {
    const sample = { atMs: Date.now(), bytes };
    if (this.segments && isSampleDue(this.growth, sample.atMs)) {
      this.growth = withSample(this.growth, sample);
      this.writeNotes();
    }
    return this.growth;
  }
}

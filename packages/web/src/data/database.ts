import {
  mainComposition,
  migrateDocument,
  type Bake,
  type Document,
  type History,
  type MachineSheet,
  type OwnerMark,
  type PictureSize,
} from "@kinetocache/core";
import Dexie, { type EntityTable } from "dexie";
import type { MediaPlace } from "../engine/media/mediaBytes";
import type { CostRecord } from "../engine/frameCosts";
import { NO_LAYER_CHOICES, type LayerChoices } from "../engine/protocol/command";
import { type MeasuredTake } from "../engine/protocol/event";

/** A composition as it is listed, apart from its history: the history of a long edit has megabytes. */
export interface DocumentHead extends PictureSize {
  readonly id: string;
  readonly name: string;
  /** Raised by one with every change, so that two tabs cannot overwrite each other unseen. */
  readonly revision: number;
  /** Ids of the stored sequences that it plays in any of its states. */
  readonly sequences: readonly string[];
  readonly layers: LayerChoices;
  readonly bakes: readonly Bake[];
  /** What sweeping is to make of its cached frames. */
  readonly mark?: OwnerMark;
  readonly updatedMs: number;
}

export interface StoredDocument extends DocumentHead {
  readonly history: History;
}

interface StoredHistory {
  readonly id: string;
  readonly history: History;
}

/** What of a history is listed with its composition. */
export function listedOf({ states, position }: History): Pick<DocumentHead, "name" | "width" | "height" | "sequences"> {
  const { name, width, height } = mainComposition(states[position]!);
  // Most states share their assets with the one before.
  const assets = [...new Set(states.map((state) => state.assets))].flatMap((all) => Object.values(all));
  const sequences = assets.flatMap((asset) => (asset.kind === "sequence" ? [asset.sequence] : []));
  return { name, width, height, sequences: [...new Set(sequences)] };
}

export interface StoredTake extends MeasuredTake {
  readonly id: number;
  /** What slowed the machine down meanwhile, in words; undefined when nobody could tell. */
  readonly disturbances?: readonly string[];
  /** What the user calls it, and has to say about it. */
  readonly name?: string;
  readonly note?: string;
  /** The take that this one repeats. */
  readonly repeats?: number;
  /** The machine meanwhile; undefined when nobody could tell. */
  readonly machine?: MachineAtTake;
}

/** The machine at the end of a take. */
export interface MachineAtTake {
  readonly processor: string;
  readonly cores: number;
  readonly installedBytes: number;
  readonly availableBytes: number;
  readonly onBattery?: boolean;
  readonly clockShare?: number;
}

/** What was measured of a composition on one machine. */
export interface StoredCosts {
  readonly id: string;
  readonly machine: string;
  readonly document: string;
  readonly keptMs: number;
  readonly record: CostRecord;
}

/** Where a file was found that compositions refer to. */
export interface StoredMedia {
  readonly fingerprint: string;
  readonly name: string;
  readonly place: MediaPlace;
}

export interface StoredSheet {
  readonly id: number;
  readonly sheet: MachineSheet;
}

interface StoredSetting {
  readonly key:
    | "preview"
    | "openDocument"
    | "demo"
    | "theme"
    | "machine"
    | "roles"
    | "graphicsTrial"
    | "parallelTrial"
    | "decodingTrial"
    | "formatTrial"
    | "profile";
  readonly value: unknown;
}

/** Everything the browser keeps. */
export const database = new Dexie("kinetocache") as Dexie & {
  documents: EntityTable<DocumentHead, "id">;
  histories: EntityTable<StoredHistory, "id">;
  takes: EntityTable<StoredTake, "id">;
  settings: EntityTable<StoredSetting, "key">;
  sheets: EntityTable<StoredSheet, "id">;
  costs: EntityTable<StoredCosts, "id">;
  media: EntityTable<StoredMedia, "fingerprint">;
};

database.version(1).stores({ documents: "id", takes: "++id, document.id", settings: "key" });
database.version(2).stores({ sheets: "++id" });
// Takes of earlier releases were all rendered by the processor.
database
  .version(3)
  .stores({})
  .upgrade((transaction) =>
    transaction
      .table<StoredTake>("takes")
      .toCollection()
      .modify((take) => Object.assign(take.settings, { effectsOn: "processor", decodingOn: "processor" })),
  );

// Takes of earlier releases wrote every frame to the one location that there was.
database
  .version(4)
  .stores({})
  .upgrade((transaction) =>
    transaction
      .table<StoredTake>("takes")
      .toCollection()
      .modify((take) =>
        Object.assign(take.settings, { diskCache: { location: "main", store: "Always", storeSlow: true } }),
      ),
  );

// Documents of earlier releases had one variant and no motion blur; takes were made without either.
database
  .version(5)
  .stores({})
  .upgrade(async (transaction) => {
    await transaction
      .table<StoredDocument>("documents")
      .toCollection()
      .modify((stored) => {
        const states = stored.history.states.map((state) => migrateDocument(state) as Document);
        Object.assign(stored, { history: { ...stored.history, states }, layers: NO_LAYER_CHOICES, bakes: [] });
      });
    await transaction
      .table<StoredTake>("takes")
      .toCollection()
      .modify((take) => {
        const { fraction } = take.settings;
        Object.assign(take.settings, { scrubFraction: fraction, motionBlur: true, tradeOffs: true });
        Object.assign(take.settings, { pauseFillingWhilePlaying: true });
      });
  });

database.version(6).stores({ costs: "id, document, keptMs, [machine+keptMs]" });
// Measurements say how much they count; those of before do not.
database.version(7).upgrade((transaction) => transaction.table("costs").clear());
// Trials are known by the composition's id now, not by its name, and are soon made anew.
database
  .version(8)
  .upgrade((transaction) =>
    transaction.table("settings").bulkDelete(["graphicsTrial", "parallelTrial", "decodingTrial", "formatTrial"]),
  );

database.version(9).stores({ media: "fingerprint" });

// Layers of earlier releases had no start of their own.
database
  .version(10)
  .stores({})
  .upgrade((transaction) =>
    transaction
      .table<StoredDocument>("documents")
      .toCollection()
      .modify((stored) => {
        const states = stored.history.states.map((state) => migrateDocument(state) as Document);
        Object.assign(stored, { history: { ...stored.history, states } });
      }),
  );

// Until then, listing compositions or checking whether one had changed read their whole histories.
database
  .version(11)
  .stores({ histories: "id" })
  .upgrade(async (transaction) => {
    const documents = transaction.table<StoredDocument | DocumentHead>("documents");
    const histories = transaction.table<StoredHistory>("histories");
    // One at a time: all of them may be more than fits in memory.
    for (const id of await documents.toCollection().primaryKeys()) {
      const { history, ...rest } = (await documents.get(id)) as StoredDocument;
      await histories.put({ id: rest.id, history });
      await documents.put({ ...rest, ...listedOf(history) });
    }
  });

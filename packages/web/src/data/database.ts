import type { History, MachineSheet } from "@kinetocache/core";
import Dexie, { type EntityTable } from "dexie";
import type { MeasuredTake } from "../engine/protocol";

export interface StoredDocument {
  readonly id: string;
  readonly name: string;
  /** Raised by one with every change, so that two tabs cannot overwrite each other unseen. */
  readonly revision: number;
  readonly history: History;
  readonly updatedMs: number;
}

export interface StoredTake extends MeasuredTake {
  readonly id: number;
  /** What slowed the machine down meanwhile, in words; undefined when nobody could tell. */
  readonly disturbances?: readonly string[];
}

export interface StoredSheet {
  readonly id: number;
  readonly sheet: MachineSheet;
}

interface StoredSetting {
  readonly key:
    | "preview"
    | "openDocument"
    | "theme"
    | "machine"
    | "roles"
    | "graphicsTrial"
    | "parallelTrial"
    | "decodingTrial"
    | "formatTrial";
  readonly value: unknown;
}

/** Everything the browser keeps. */
export const database = new Dexie("kinetocache") as Dexie & {
  documents: EntityTable<StoredDocument, "id">;
  takes: EntityTable<StoredTake, "id">;
  settings: EntityTable<StoredSetting, "key">;
  sheets: EntityTable<StoredSheet, "id">;
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

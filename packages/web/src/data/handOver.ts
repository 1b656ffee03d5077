import { currentDocument } from "@kinetocache/core";
import { database } from "./database";
import { exportDocument, readDocument } from "./documents";
import { handComposition } from "./sweep";
import { sequencesOf } from "./compositionReport";

/**
 * Hands a composition over to the server, which gathers and sweeps: its file, and which stored sequences are its own.
 * @returns the full path of its file there @throws Error when it is not there any more, RequestError
 */
export async function handOver(id: string): Promise<string> {
  const stored = await readDocument(id);
  if (!stored) throw new Error("This composition no longer exists.");
  const document = currentDocument(stored.history);
  // Several assets may show the same pictures.
  const names = new Map(
    Object.entries(document.assets).flatMap(([name, asset]) =>
      asset.kind === "sequence" ? [[asset.sequence, name] as const] : [],
    ),
  );
  const others = await database.documents.where("id").notEqual(id).toArray();
  const played = new Set(others.flatMap(sequencesOf));
  const bakes = stored.bakes.map(({ sequence }) => sequence).filter((sequence) => !played.has(sequence));
  const sequences = [...names].map(([sequence, name]) => ({ id: sequence, name }));
  return handComposition(id, { name: stored.name, sequences, bakes }, exportDocument(document));
}

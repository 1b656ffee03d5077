import type { StoredDocument } from "./database";

type Revision = Pick<StoredDocument, "id" | "revision">;

/**
 * What the database says of the open composition beside what this tab shows: what another tab wrote is shown here, its
 * own writing is known already, and what is gone was removed there.
 */
export function newsOf(
  shown: Revision | undefined,
  openId: string,
  stored: Revision | undefined,
): "newer" | "removed" | "none" {
  // Another one is being opened here.
  if (shown?.id !== openId) return "none";
  if (!stored) return "removed";
  return stored.revision > shown.revision ? "newer" : "none";
}

import type { Bytes } from "../machine";
import { isNearlyFull, READ_HEADROOM, type DriveKind } from "./drive";

/** What a location is for. */
export const ROLES = ["source media", "disk cache", "baked frames", "proxies", "scratch"] as const;
export type Role = (typeof ROLES)[number];

/** Roles that something goes by so far. */
export const OFFERED_ROLES: readonly Role[] = ["source media", "disk cache", "baked frames"];

/** Which location, by id, has which role. */
export type Assignment = Readonly<Partial<Record<Role, string>>>;

/** A location as far as its fitness goes. Rates are bytes a second, undefined where not measured. */
export interface Place {
  readonly id: string;
  readonly name: string;
  /** Names the drive; what is on the same one shares it. */
  readonly drive: string;
  readonly kind: DriveKind;
  readonly isSystem: boolean;
  /** Bytes that can still be written: below the cap and on the drive. */
  readonly roomBytes: Bytes;
  /** Of the drive: all of it, and what is free. */
  readonly totalBytes: Bytes;
  readonly freeBytes: Bytes;
  readonly readRate?: number;
  readonly writeRate?: number;
  /** Whether the rates are those of its drive alone, held to what the way from any place carries. */
  readonly isOfDriveAlone?: boolean;
  /** Reading while media is read from the same drive. */
  readonly readWithMediaRate?: number;
  /** Only holds what others read: nothing is stored there. */
  readonly isMedia: boolean;
  /** Only frames of the disk cache can be stored there. */
  readonly isBrowser: boolean;
}

/** What the present composition asks of a role. */
export interface Need {
  /** Bytes a second; 0 where that does not matter. */
  readonly readRate: number;
  readonly writeRate: number;
  /** What storing all of it takes. */
  readonly bytes: Bytes;
}

export type Needs = Readonly<Record<Role, Need>>;

/** How a location suits a role. */
export interface Fitness {
  /** Measured over needed rate, the margin for real time included: 1 is just enough. Undefined where nothing is measured. */
  readonly headroom?: number;
  /** Conflicts, in words. */
  readonly conflicts: readonly string[];
  /** For comparing: higher is better. */
  readonly score: number;
}

// Rates beyond this many times the need are of no more use.
const ENOUGH = 8;
// What is not measured counts as a third of what is needed: nobody is sent where nothing is known.
const UNMEASURED = 1 / 3;

/**
 * Headroom of required over measured rate, less penalties for a shared drive, the system drive, little room, and
 * drives that stall or go.
 * @param others roles assigned elsewhere, which this place may share a drive with
 */
export function fitnessOf(role: Role, place: Place, need: Need, places: readonly Place[], others: Assignment): Fitness {
  const conflicts: string[] = [];
  let penalty = 0;
  const against = (weight: number, words: string) => {
    penalty += weight;
    conflicts.push(words);
  };
  const media = places.find(({ id }) => id === others["source media"]);
  const sharesMedia = role !== "source media" && media !== undefined && media.drive === place.drive;
  if (sharesMedia)
    against(
      place.kind === "spinning" || place.kind === "network" ? 0.8 : 0.3,
      "the source media is read from the same drive",
    );
  if (role === "source media") {
    const sharing = places.filter(({ id, drive }) => drive === place.drive && id === others["disk cache"]);
    if (sharing.length > 0) conflicts.push("the disk cache is on the same drive");
  }
  if (place.kind === "spinning" && role !== "source media") against(0.3, "a spinning drive reads single frames slowly");
  if (place.kind === "network") against(0.5, "a network share is shared with others and may stall");
  if (place.kind === "removable") against(0.4, "a removable drive may be gone next time");
  if (place.kind === "memory") against(1, "what is kept in memory is gone after a restart, and takes memory");
  if (place.isSystem && role !== "source media")
    against(0.2, "the system is on the same drive, and suffers when it is full");
  if (role !== "source media" && isNearlyFull(place)) against(0.3, "its drive is nearly full");
  if (role !== "source media" && place.roomBytes < need.bytes)
    against(2 * (1 - place.roomBytes / need.bytes), "there is less room than all of it takes");
  const headroom = headroomOf(place, need, sharesMedia);
  const reached = headroom ?? UNMEASURED;
  const score = (reached < 1 ? 2 * reached : 2 + Math.log2(Math.min(reached, ENOUGH)) / 4) - penalty;
  return { headroom, conflicts, score };
}

function headroomOf(place: Place, need: Need, sharesMedia: boolean): number | undefined {
  const readRate = (sharesMedia ? place.readWithMediaRate : undefined) ?? place.readRate;
  const ratios: number[] = [];
  if (need.readRate > 0) {
    if (readRate === undefined) return undefined;
    ratios.push(readRate / (READ_HEADROOM * need.readRate));
  }
  if (need.writeRate > 0) {
    if (place.writeRate === undefined) return undefined;
    ratios.push(place.writeRate / need.writeRate);
  }
  return ratios.length === 0 ? Infinity : Math.min(...ratios);
}

/** Whether a location may have a role at all. */
export function canHave(role: Role, { isMedia, isBrowser }: Place): boolean {
  if (role === "source media") return isMedia;
  return !isMedia && (role === "disk cache" || !isBrowser);
}

// How much a role's fitness counts for playback.
const WEIGHTS: Readonly<Record<Role, number>> = {
  "source media": 0,
  "disk cache": 4,
  "baked frames": 3,
  proxies: 2,
  scratch: 1,
};

export interface Suggested {
  readonly role: Role;
  readonly place: Place;
  readonly why: string;
}

/**
 * The assignment with the highest sum of weighted fitness, found by trying all; room is given to the roles in their
 * order. Source media stays where it is: it is not moved for a cache's sake.
 */
export function suggestRoles(places: readonly Place[], needs: Needs, present: Assignment): Suggested[] {
  const roles = OFFERED_ROLES.filter((role) => role !== "source media");
  let best: { readonly assignment: Assignment; readonly score: number } | undefined;
  const extend = (index: number, assignment: Assignment, score: number, taken: ReadonlyMap<string, Bytes>): void => {
    const role = roles[index];
    if (role === undefined) {
      if (!best || score > best.score) best = { assignment, score };
      return;
    }
    const candidates = places.filter((place) => canHave(role, place));
    if (candidates.length === 0) extend(index + 1, assignment, score, taken);
    for (const place of candidates) {
      const left = { ...place, roomBytes: Math.max(0, place.roomBytes - (taken.get(place.drive) ?? 0)) };
      const fitness = fitnessOf(role, left, needs[role], places, assignment);
      // The present place wins where another is not clearly better, or not known to be: a move is work.
      const stays = present[role] === place.id ? (fitness.headroom === undefined ? 1 : 0.05) : 0;
      const gained = WEIGHTS[role] * (fitness.score + stays);
      const next = new Map(taken).set(place.drive, (taken.get(place.drive) ?? 0) + needs[role].bytes);
      extend(index + 1, { ...assignment, [role]: place.id }, score + gained, next);
    }
  };
  extend(0, { "source media": present["source media"] }, 0, new Map());
  const assignment = best?.assignment ?? {};
  return roles.flatMap((role) => {
    const place = places.find(({ id }) => id === assignment[role]);
    return place ? [{ role, place, why: whyOf(role, place, needs[role], places, assignment) }] : [];
  });
}

function whyOf(role: Role, place: Place, need: Need, places: readonly Place[], assignment: Assignment): string {
  const { headroom, conflicts } = fitnessOf(role, place, need, places, assignment);
  const rate =
    headroom === undefined
      ? "not measured yet"
      : headroom === Infinity
        ? "speed does not matter here"
        : `${headroom >= 1 ? "fast enough" : "the fastest that was measured"}: ${Number(headroom.toPrecision(2))} times what real time takes${place.isOfDriveAlone ? ", of which only the drive was measured" : ""}`;
  const media = places.find(({ id }) => id === assignment["source media"]);
  const apart = media && media.drive !== place.drive ? ["not on the drive of the source media"] : [];
  const against = conflicts.length > 0 ? [`although ${conflicts.join(", and ")}`] : [];
  return [rate, ...apart, ...against].join("; ");
}

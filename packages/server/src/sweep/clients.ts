import path from "node:path";
import type { Milliseconds, OwnerMark } from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";

/** A composition of this application, as its page told of it. */
interface KnownComposition {
  readonly id: string;
  readonly name: string;
  readonly mark?: OwnerMark;
}

/** What a browser's profile knows: compositions live there, and another profile has others. */
interface Profile {
  readonly compositions: readonly KnownComposition[];
  /** Ids of the stored sequences that any of them plays. */
  readonly sequences: readonly string[];
}

/** What a page tells of its profile, and of itself. */
export interface CompositionReport extends Profile {
  readonly profile: string;
  readonly tab: string;
  /** Id of the composition that is open in it. */
  readonly open?: string;
}

const id = Joi.string().max(64);
const profileKeys = {
  compositions: Joi.array()
    .max(10_000)
    .items(
      Joi.object({
        id: id.required(),
        name: Joi.string().max(400).allow("").required(),
        mark: Joi.string().valid("kept", "delivered"),
      }),
    )
    .required(),
  sequences: Joi.array().max(100_000).items(id).required(),
};
export const compositionReportSchema = Joi.object<CompositionReport>({
  ...profileKeys,
  profile: id.min(1).required(),
  tab: id.min(1).required(),
  open: id,
});
const profilesSchema = Joi.object<Record<string, Profile>>().pattern(Joi.string(), Joi.object(profileKeys));

interface Tab {
  readonly profile: string;
  readonly open: string | undefined;
  /** In uptime. */
  readonly seenMs: Milliseconds;
}

// A page says every twenty seconds that it is there; one that was put to sleep by its browser does so once a minute.
const GONE_AFTER_MS = 150_000;
const MOST_PROFILES = 200;

/**
 * What the pages know of compositions, in all tabs and profiles together. What a profile told of stays known when its
 * pages are closed: it is out of sight then, and not gone.
 */
export class Clients {
  private readonly tabs = new Map<string, Tab>();

  private constructor(
    private readonly profiles: JsonFile<Readonly<Record<string, Profile>>>,
    private readonly uptime: () => Milliseconds,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string, uptime = () => performance.now()): Promise<Clients> {
    const format = { format: "kinetocache-profiles", version: 1 };
    return new Clients(await JsonFile.open(path.join(data, "sweep-profiles.json"), format, profilesSchema, {}), uptime);
  }

  /** Takes what a page knows. @returns the composition that is closed by that: open in this tab before, and in none now */
  async tell({ profile, tab, open, ...known }: CompositionReport): Promise<string | undefined> {
    await this.profiles.change(({ [profile]: _before, ...others }) => {
      // The last one told of stands last.
      const kept = Object.entries(others).slice(-(MOST_PROFILES - 1));
      return { ...Object.fromEntries(kept), [profile]: known };
    });
    const before = this.tabs.get(tab)?.open;
    this.tabs.set(tab, { profile, open, seenMs: this.uptime() });
    return before === undefined || this.openNow.has(before) ? undefined : before;
  }

  /** Notes that a page is still there. @returns whether it told of what it has open */
  see(tab: string): boolean {
    const known = this.tabs.get(tab);
    if (known) this.tabs.set(tab, { ...known, seenMs: this.uptime() });
    return known !== undefined;
  }

  /** A page is closed. What it had open is not closed by that: it may be loaded anew. */
  leave(tab: string): void {
    this.tabs.delete(tab);
  }

  /** Ids of the compositions that are open in any tab. */
  get openNow(): ReadonlySet<string> {
    const now = this.uptime();
    return new Set(
      [...this.tabs.values()].flatMap(({ open, seenMs }) =>
        open === undefined || now - seenMs > GONE_AFTER_MS ? [] : [open],
      ),
    );
  }

  /** Compositions that any profile told of; of one that several have, what is kept counts first. */
  get compositions(): readonly KnownComposition[] {
    const all = new Map<string, KnownComposition>();
    for (const { compositions } of Object.values(this.profiles.value))
      for (const one of compositions) if (all.get(one.id)?.mark !== "kept") all.set(one.id, one);
    return [...all.values()];
  }

  /** Ids of the stored sequences that any of them plays. */
  get sequences(): ReadonlySet<string> {
    return new Set(Object.values(this.profiles.value).flatMap(({ sequences }) => sequences));
  }

  /** All that `beside` says, of every profile. */
  get known(): unknown {
    return [this.profiles.value, [...this.openNow]];
  }

  /** What others than one profile know, and what is open anywhere. */
  beside(profile: string): Profile & { readonly open: readonly string[] } {
    const others = Object.entries(this.profiles.value).flatMap(([name, known]) => (name === profile ? [] : [known]));
    return {
      compositions: others.flatMap(({ compositions }) => compositions),
      sequences: [...new Set(others.flatMap(({ sequences }) => sequences))],
      open: [...this.openNow],
    };
  }
}

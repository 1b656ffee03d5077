import path from "node:path";
import {
  DEFAULT_LOCATION_SETTINGS,
  isSampleDue,
  locationSettingsSchema,
  withSample,
  type Bytes,
  type FillSample,
  type LocationSettings,
} from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";

const SETTINGS = { format: "kinetocache-location-settings", version: 1 } as const;
const GROWTH = { format: "kinetocache-growth", version: 1 } as const;
// Settings of earlier releases said whether frames are packed.
type KnownSettings = Partial<LocationSettings> & { readonly packed?: boolean };
const settingsSchema = Joi.object<KnownSettings>({ packed: Joi.boolean() }).concat(locationSettingsSchema);
const growthSchema = Joi.array<readonly FillSample[]>().items(
  Joi.object({ atMs: Joi.number().required(), bytes: Joi.number().min(0).required() }),
);

/** What was settled for a volume, and how it filled up lately; kept in the volume. */
export class VolumeSettings {
  private constructor(
    private readonly root: string,
    private readonly file: JsonFile<KnownSettings>,
    private readonly growth: JsonFile<readonly FillSample[]>,
  ) {}

  /** @param root of the volume */
  static async open(root: string): Promise<VolumeSettings> {
    return new VolumeSettings(
      root,
      await JsonFile.open<KnownSettings>(path.join(root, "settings.json"), SETTINGS, settingsSchema, {}),
      await JsonFile.open(path.join(root, "growth.json"), GROWTH, growthSchema, []),
    );
  }

  get now(): LocationSettings {
    const { packed, ...settings } = this.file.value;
    const packing = packed ? { packing: "packed" as const } : {};
    return { ...DEFAULT_LOCATION_SETTINGS, ...packing, ...settings };
  }

  replace(settings: LocationSettings): Promise<void> {
    return this.file.replace(settings);
  }

  /** Notes how much there is now, if it is time for that. @returns what was noted, oldest first */
  async sample(bytes: Bytes): Promise<readonly FillSample[]> {
    const sample = { atMs: Date.now(), bytes };
    if (isSampleDue(this.growth.value, sample.atMs))
      await this.growth
        .replace(withSample(this.growth.value, sample))
        // A full or read-only drive does not take it; the forecast is the only loss.
        .catch((error: unknown) => console.warn(`${this.root}: ${String(error)}`));
    return this.growth.value;
  }
}

import { DEFAULT_LOCATION_SETTINGS, locationSettingsSchema, type LocationSettings } from "@kinetocache/core";

/** Settings as they were written, with what was not. @throws Error that says what is wrong */
export function settingsOf(written: unknown): LocationSettings {
  const { error, value } = locationSettingsSchema.validate(written);
  if (error) throw error;
  return { ...DEFAULT_LOCATION_SETTINGS, ...value };
}

/** A list with an entry more, or without it where it was there. */
export function toggled(list: readonly string[], entry: string): readonly string[] {
  return list.includes(entry) ? list.filter((one) => one !== entry) : [...list, entry];
}

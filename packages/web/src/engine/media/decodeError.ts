/** A clip that cannot be decoded, or not on the device that was chosen. */
export class DecodeError extends Error {
  override readonly name = "DecodeError";
}

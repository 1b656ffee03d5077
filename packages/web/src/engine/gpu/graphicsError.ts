/** The graphics device cannot go on, or cannot do what was asked: the processor does it instead. */
export class GraphicsError extends Error {
  override readonly name = "GraphicsError";

  /** @param lost whether the device is gone altogether, and not only short of something */
  constructor(
    message: string,
    readonly lost: boolean,
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}

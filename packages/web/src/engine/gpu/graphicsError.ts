/** The graphics device cannot go on, or cannot do what was asked: the processor does it instead. */
export class GraphicsError extends Error {
  override readonly name = "GraphicsError";
}

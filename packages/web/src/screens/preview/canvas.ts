/**
 * A canvas of a size, ready to be drawn on.
 * @param width and height in pixels of the usual size of text
 * @param scale how much larger they are shown
 */
export function prepare(
  canvas: HTMLCanvasElement,
  width: number,
  height: number,
  scale: number,
): CanvasRenderingContext2D {
  const ratio = window.devicePixelRatio * scale;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext("2d")!;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  return context;
}

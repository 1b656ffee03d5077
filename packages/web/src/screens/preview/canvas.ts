import type { Tokens } from "../../parts/tokens";

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

let hatchPattern: { readonly colour: string; readonly ground: string; readonly pattern: CanvasPattern } | undefined;

/** Disk is hatched at 45°, so that the lanes differ without colour. */
export function hatch(context: CanvasRenderingContext2D, { disk, sheet }: Tokens): CanvasPattern {
  if (hatchPattern?.colour === disk && hatchPattern.ground === sheet) return hatchPattern.pattern;
  const tile = new OffscreenCanvas(6, 6);
  const pen = tile.getContext("2d")!;
  pen.fillStyle = sheet;
  pen.fillRect(0, 0, 6, 6);
  pen.strokeStyle = disk;
  pen.lineWidth = 2.6;
  for (const shift of [-6, 0, 6]) {
    pen.beginPath();
    pen.moveTo(shift - 1, 7);
    pen.lineTo(shift + 7, -1);
    pen.stroke();
  }
  const pattern = context.createPattern(tile, "repeat")!;
  hatchPattern = { colour: disk, ground: sheet, pattern };
  return pattern;
}

import type { DepthConverter } from "./depthConverter";
import type { HeldPicture } from "./frameStorage";
import type { Comparison } from "./protocol/command";

/** Puts finished frames on the canvas of whichever screen shows the viewer. */
export class Viewer {
  private context: OffscreenCanvasRenderingContext2D | undefined;
  /** What the canvas shows; one for all frames of a size, so that showing leaves nothing to be collected. */
  private image: ImageData | undefined;

  constructor(private readonly converter: DepthConverter) {}

  attach(canvas: OffscreenCanvas): void {
    this.context = canvas.getContext("2d", { alpha: true }) ?? undefined;
  }

  /** @param pictures one, or that of the open variant and that of the one it is compared with */
  show([first, second]: readonly HeldPicture[], comparison: Comparison | undefined): void {
    if (!this.context || !first) return;
    const isWipe = comparison?.layout === "wipe";
    const { width, height } = first;
    this.setSize(second && !isWipe ? width + second.width : width, height);
    this.draw(first, 0, 0, width);
    if (!second) return;
    const from = isWipe ? Math.round(second.width * comparison.wipe) : 0;
    this.draw(second, isWipe ? 0 : width, from, second.width);
  }

  private setSize(width: number, height: number): void {
    const { canvas } = this.context!;
    if (canvas.width === width && canvas.height === height) return;
    canvas.width = width;
    canvas.height = height;
  }

  /** Columns of a picture from one to before another, the whole of which would lie at `x`. */
  private draw(picture: HeldPicture, x: number, from: number, to: number): void {
    const { width, height } = picture;
    if (this.image?.width !== width || this.image.height !== height) this.image = new ImageData(width, height);
    this.fill(this.image.data, picture);
    this.context!.putImageData(this.image, x, 0, from, 0, to - from, height);
  }

  /** 8-bit frames are shown as they are; deeper ones are converted. */
  private fill(target: Uint8ClampedArray, { depth, pixels }: HeldPicture): void {
    if (depth === "8-bit") target.set(pixels);
    else this.converter.convert(target, "8-bit", pixels, depth);
  }
}

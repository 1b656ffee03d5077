import type { DepthConverter } from "./depthConverter";
import type { HeldPicture } from "./frameStorage";

/** Puts finished frames on the canvas of whichever screen shows the viewer. */
export class Viewer {
  private context: OffscreenCanvasRenderingContext2D | undefined;
  /** What the canvas shows; one for all frames of a size, so that showing leaves nothing to be collected. */
  private image: ImageData | undefined;

  constructor(private readonly converter: DepthConverter) {}

  attach(canvas: OffscreenCanvas): void {
    this.context = canvas.getContext("2d", { alpha: true }) ?? undefined;
  }

  show(picture: HeldPicture): void {
    if (!this.context) return;
    const { canvas } = this.context;
    const { width, height } = picture;
    if (canvas.width !== width || canvas.height !== height) {
      canvas.width = width;
      canvas.height = height;
    }
    if (this.image?.width !== width || this.image.height !== height) this.image = new ImageData(width, height);
    this.fill(this.image.data, picture);
    this.context.putImageData(this.image, 0, 0);
  }

  /** 8-bit frames are shown as they are; deeper ones are converted. */
  private fill(target: Uint8ClampedArray, { depth, pixels }: HeldPicture): void {
    if (depth === "8-bit") target.set(pixels);
    else this.converter.convert(target, "8-bit", pixels, depth);
  }
}

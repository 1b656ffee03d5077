import type { Box } from "../../drawing";
import { paint, pixelAt, type FloatPicture } from "./picture";

function weight(offset: number, { radius, alpha }: Box): number {
  return Math.abs(offset) <= radius ? 1 : alpha;
}

/** One extended box along x; the result is `grow` pixels larger on both sides. */
function boxRow(picture: FloatPicture, box: Box, grow: number): FloatPicture {
  const reach = box.radius + 1;
  const total = 2 * box.radius + 1 + 2 * box.alpha;
  return paint(picture.width + 2 * grow, picture.height, (x, y) => {
    const sum = [0, 0, 0, 0];
    for (let offset = -reach; offset <= reach; offset++) {
      const pixel = pixelAt(picture, x - grow + offset, y);
      for (let c = 0; c < 4; c++) sum[c]! += (pixel[c]! * weight(offset, box)) / total;
    }
    return sum;
  });
}

function transpose(picture: FloatPicture): FloatPicture {
  return paint(picture.height, picture.width, (x, y) => pixelAt(picture, y, x));
}

function padEdges(picture: FloatPicture, by: number): FloatPicture {
  const clamp = (value: number, size: number) => Math.max(0, Math.min(size - 1, value));
  return paint(picture.width + 2 * by, picture.height + 2 * by, (x, y) =>
    pixelAt(picture, clamp(x - by, picture.width), clamp(y - by, picture.height)),
  );
}

function crop(picture: FloatPicture, by: number): FloatPicture {
  return paint(picture.width - 2 * by, picture.height - 2 * by, (x, y) => pixelAt(picture, x + by, y + by));
}

/**
 * Three extended boxes along each axis. With transparent edges the result is `spread` pixels larger on every
 * side; with repeated edges it has the size of the input.
 */
export function gaussian(picture: FloatPicture, box: Box, spread: number, repeatEdge: boolean): FloatPicture {
  const reach = 3 * (box.radius + 1);
  const input = repeatEdge ? padEdges(picture, reach) : picture;
  const alongRows = (source: FloatPicture) =>
    boxRow(boxRow(boxRow(source, box, box.radius + 1), box, box.radius + 1), box, box.radius + 1);
  const blurred = transpose(alongRows(transpose(alongRows(input))));
  return crop(blurred, repeatEdge ? 2 * reach : reach - spread);
}

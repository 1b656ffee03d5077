const STROKE_FLOATS = 6;

/** Which strokes touch which square of a picture. */
export interface StrokeTiles {
  /** Edge of a square in pixels, and squares in a row. */
  readonly tile: number;
  readonly across: number;
  /** For each square, row by row, where its strokes begin in `members`; one more entry ends the last. */
  readonly starts: Uint32Array<ArrayBuffer>;
  /** Numbers of strokes. */
  readonly members: Uint32Array<ArrayBuffer>;
}

/**
 * Sorts strokes into squares, so that a pixel looks only at those that may touch it: a counting sort in two
 * passes over the list.
 * @param list x0, y0, x1, y1, half width and opacity of each stroke, in pixels
 */
export function strokeTiles(list: Float32Array, width: number, height: number, tile = 16): StrokeTiles {
  const across = Math.ceil(width / tile);
  const down = Math.ceil(height / tile);
  const starts = new Uint32Array(across * down + 1);
  visitTiles(list, tile, across, down, (square) => starts[square + 1]!++);
  for (let square = 0; square < across * down; square++) starts[square + 1]! += starts[square]!;
  const members = new Uint32Array(starts[across * down]!);
  const next = starts.slice();
  visitTiles(list, tile, across, down, (square, stroke) => (members[next[square]!++] = stroke));
  return { tile, across, starts, members };
}

function visitTiles(
  list: Float32Array,
  tile: number,
  across: number,
  down: number,
  visit: (square: number, stroke: number) => void,
): void {
  const inside = (position: number, most: number) => Math.max(0, Math.min(most - 1, Math.floor(position / tile)));
  for (let stroke = 0; stroke * STROKE_FLOATS < list.length; stroke++) {
    const at = stroke * STROKE_FLOATS;
    const reach = list[at + 4]! + 1;
    const left = Math.min(list[at]!, list[at + 2]!) - reach;
    const right = Math.max(list[at]!, list[at + 2]!) + reach;
    const top = Math.min(list[at + 1]!, list[at + 3]!) - reach;
    const bottom = Math.max(list[at + 1]!, list[at + 3]!) + reach;
    if (right < 0 || bottom < 0 || left >= across * tile || top >= down * tile) continue;
    for (let y = inside(top, down); y <= inside(bottom, down); y++)
      for (let x = inside(left, across); x <= inside(right, across); x++) visit(y * across + x, stroke);
  }
}

import fc from "fast-check";
import { strokeTiles } from "./strokeTiles";

const [WIDTH, HEIGHT] = [70, 45];

/** Whether a stroke covers a pixel at all. */
function covers([x0, y0, x1, y1, half]: readonly number[], x: number, y: number): boolean {
  const [ex, ey] = [x1! - x0!, y1! - y0!];
  const [px, py] = [x + 0.5 - x0!, y + 0.5 - y0!];
  const t = Math.min(1, Math.max(0, (px * ex + py * ey) / Math.max(1e-12, ex * ex + ey * ey)));
  return half! + 0.5 - Math.hypot(px - t * ex, py - t * ey) > 0;
}

test("every stroke that covers a pixel is in the pixel's square, once, and squares list no stroke that is far away", () => {
  const place = fc.double({ min: -40, max: 110, noNaN: true });
  const stroke = fc.tuple(place, place, place, place, fc.double({ min: 0.1, max: 9, noNaN: true }), fc.constant(1));
  fc.assert(
    fc.property(fc.array(stroke, { maxLength: 12 }), fc.constantFrom(8, 16), (strokes, tile) => {
      const { across, starts, members } = strokeTiles(Float32Array.from(strokes.flat()), WIDTH, HEIGHT, tile);
      const inSquare = (x: number, y: number) => {
        const square = Math.floor(y / tile) * across + Math.floor(x / tile);
        return [...members.subarray(starts[square], starts[square + 1])];
      };
      for (let y = 0; y < HEIGHT; y++) {
        for (let x = 0; x < WIDTH; x++) {
          const listed = inSquare(x, y);
          strokes.forEach((one, number) => {
            if (covers(one, x, y)) expect(listed.filter((member) => member === number)).toHaveLength(1);
          });
        }
      }
      expect(starts.at(-1)).toBe(members.length);
    }),
    { numRuns: 30 },
  );
  const { members } = strokeTiles(Float32Array.of(500, 500, 600, 600, 2, 1), WIDTH, HEIGHT);
  expect(members).toHaveLength(0);
});

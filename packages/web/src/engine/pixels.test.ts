import { newPixels, reusePixels, SparePixels } from "./pixels";

const MIB = 2 ** 20;

test("buffers that were let go are taken again, as many as are wanted and no more", () => {
  const spares = new SparePixels(2);
  const [a, b, c] = [newPixels(100), newPixels(100), newPixels(100)];
  [a, b, c].forEach((pixels) => spares.add(pixels));
  expect(c.buffer.byteLength).toBe(0);
  expect(spares.take()).toBe(b);
  expect(spares.take()).toBe(a);
  expect(spares.take()).toBeUndefined();
});

test("large ones are not kept in numbers, and all are given back at once", () => {
  const spares = new SparePixels(4);
  const [a, b] = [newPixels(40 * MIB), newPixels(40 * MIB)];
  spares.add(a);
  spares.add(b);
  expect([a.buffer.byteLength, b.buffer.byteLength]).toEqual([40 * MIB, 0]);
  spares.drop();
  expect(a.buffer.byteLength).toBe(0);
  expect(spares.take()).toBeUndefined();
});

test("a spare serves a frame of its size; for another it is given back", () => {
  const spare = newPixels(100);
  expect(reusePixels(100, spare)).toBe(spare);
  expect(reusePixels(101, spare).byteLength).toBe(101);
  expect(spare.buffer.byteLength).toBe(0);
  expect(reusePixels(5, undefined).byteLength).toBe(5);
});

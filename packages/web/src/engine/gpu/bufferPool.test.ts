import { BufferPool } from "./bufferPool";

function pool(mostBytes = 1000) {
  const alive = new Set<GPUBuffer>();
  const made = new BufferPool((size) => {
    const buffer = { size, destroy: () => alive.delete(buffer as GPUBuffer) } as unknown as GPUBuffer;
    alive.add(buffer);
    return buffer;
  }, mostBytes);
  return { pool: made, alive };
}

test("a buffer that was given back is handed out again, and freed only after a whole frame without it", () => {
  const { pool: buffers, alive } = pool();
  buffers.startFrame();
  const first = buffers.take(64);
  buffers.give(first);
  buffers.endFrame();
  buffers.startFrame();
  expect(buffers.take(64)).toBe(first);
  expect(alive.size).toBe(1);
  buffers.give(first);
  buffers.endFrame();
  expect([buffers.heldBytes, alive.size]).toEqual([64, 1]);
  buffers.startFrame();
  buffers.endFrame();
  expect([buffers.heldBytes, alive.size]).toEqual([0, 0]);
});

test("the peak is the most that was handed out at one time in a frame", () => {
  const { pool: buffers } = pool();
  buffers.startFrame();
  const [first, second] = [buffers.take(64), buffers.take(32)];
  buffers.give(first);
  buffers.give(second);
  buffers.take(64);
  expect(buffers.peakBytes).toBe(96);
  buffers.startFrame();
  expect(buffers.peakBytes).toBe(64);
});

test("what is larger than the device takes is refused, with both sizes", () => {
  expect(() => pool(1000).pool.take(1001)).toThrow(
    "A picture of 1001 bytes is larger than the 1000 that the device takes",
  );
});

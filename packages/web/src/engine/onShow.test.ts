import { OnShow } from "./onShow";

test("a sharp frame is the frame on show, and not what its keys stand for", () => {
  const onShow = new OnShow();
  onShow.show(3, ["a"], 100);
  expect([onShow.frame, onShow.has(["a"]), onShow.isSharp(3)]).toEqual([3, true, false]);
  onShow.sharpen(3);
  expect([onShow.frame, onShow.has(["a"]), onShow.isSharp(3)]).toEqual([3, false, true]);
  expect(onShow.atMs).toBe(100);
});

test("a frame for scrubbing is no frame of the preview", () => {
  const onShow = new OnShow();
  onShow.show(3, ["a"], 100);
  onShow.scrub(4, 200);
  expect([onShow.frame, onShow.isScrubbed(4), onShow.isScrubbed(3)]).toEqual([undefined, true, false]);
  expect(onShow.has(["a"])).toBe(false);
});

test("what has expired stays on the viewer, under its keys, and has to be shown again", () => {
  const onShow = new OnShow();
  onShow.show(3, ["a", "b"], 100);
  onShow.expire();
  expect([onShow.frame, onShow.keys, onShow.has(["a", "b"])]).toEqual([undefined, ["a", "b"], false]);
  onShow.clear();
  expect(onShow.keys).toEqual([]);
});

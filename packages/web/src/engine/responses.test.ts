import { Responses, sharedNow } from "./responses";

test("nothing is known before it happened", () => {
  expect(new Responses().times).toEqual({});
});

test("work has given way when the last of what was under way is over, whatever began since", () => {
  const responses = new Responses();
  responses.noteAction(sharedNow() - 30, [4, 5]);
  responses.noteEnd(4);
  responses.noteEnd(9);
  expect(responses.times.gaveWayMs).toBeUndefined();
  responses.noteEnd(5);
  expect(responses.times.gaveWayMs).toBeGreaterThanOrEqual(30);
  expect(responses.times.gaveWayMs).toBeLessThan(10_000);
});

test("what a worker says of when it stopped counts, however late that is heard", () => {
  const responses = new Responses();
  const now = sharedNow();
  responses.noteAction(now - 500, [4, 5]);
  responses.noteEnd(5, now - 488);
  responses.noteEnd(4, now - 492);
  expect(responses.times.gaveWayMs).toBeCloseTo(12, 1);
});

test("an action while nothing is under way leaves the last time standing", () => {
  const responses = new Responses();
  responses.noteAction(sharedNow() - 20, [1]);
  responses.noteEnd(1);
  const { gaveWayMs } = responses.times;
  responses.noteAction(sharedNow(), []);
  expect(responses.times.gaveWayMs).toBe(gaveWayMs);
});

test("a seek counts until its frame is on show, once, and only when the frame was held", () => {
  const responses = new Responses();
  responses.noteSeek(sharedNow() - 5, false);
  responses.noteShown(["sky"]);
  expect(responses.times.seekMs).toBeUndefined();
  responses.noteSeek(sharedNow() - 5, true);
  responses.noteShown(["sky"]);
  const { seekMs } = responses.times;
  expect(seekMs).toBeGreaterThanOrEqual(5);
  responses.noteShown(["sky"]);
  expect(responses.times.seekMs).toBe(seekMs);
});

test("an edit counts until its frame is on show, and what rendering that frame took stands beside it", () => {
  const responses = new Responses();
  responses.noteRendered("early", 7);
  responses.noteEdit(sharedNow() - 120);
  responses.noteRendered("sky", 80);
  responses.noteRendered("filled", 300);
  responses.noteShown(["sky"]);
  const { edit } = responses.times;
  expect(edit!.renderMs).toBe(80);
  expect(edit!.ms).toBeGreaterThanOrEqual(120);
  responses.noteShown(["filled"]);
  expect(responses.times.edit).toEqual(edit);
  // What was held needs no rendering.
  responses.noteEdit(sharedNow());
  responses.noteShown(["sky"]);
  expect(responses.times.edit!.renderMs).toBe(0);
});

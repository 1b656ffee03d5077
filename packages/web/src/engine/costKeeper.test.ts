import { CostKeeper } from "./costKeeper";

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

test("what was measured is told once for many frames, later while there is no time, and at once when asked", () => {
  const tell = jest.fn();
  let mayTell = true;
  const keeper = new CostKeeper(tell, () => mayTell);
  for (let n = 0; n < 50; n++) keeper.note();
  jest.runOnlyPendingTimers();
  expect(tell).toHaveBeenCalledTimes(1);
  keeper.tellNow();
  expect(tell).toHaveBeenCalledTimes(1);
  mayTell = false;
  keeper.note();
  for (let n = 0; n < 5; n++) jest.runOnlyPendingTimers();
  expect(tell).toHaveBeenCalledTimes(1);
  mayTell = true;
  jest.runOnlyPendingTimers();
  expect(tell).toHaveBeenCalledTimes(2);
  keeper.note();
  keeper.tellNow();
  expect(tell).toHaveBeenCalledTimes(3);
  expect(jest.getTimerCount()).toBe(0);
});

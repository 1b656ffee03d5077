import { Changes } from "./changes";

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

const pass = () => jest.advanceTimersByTimeAsync(2000);

function follow() {
  const state = { folders: 1, holds: [] as number[] };
  let looks = 0;
  const changes = new Changes({
    folders: () => {
      looks++;
      if (state.folders < 0) throw new Error("the drive is gone");
      return state.folders;
    },
    holds: () => Promise.resolve(state.holds),
  });
  return { state, changes, looks: () => looks };
}

test("what has changed is told by its name, once, and nothing where nothing did", async () => {
  const { state, changes } = follow();
  const told: string[] = [];
  await changes.listen((name) => told.push(name));
  await pass();
  expect(told).toEqual([]);
  state.holds.push(7);
  await pass();
  await pass();
  expect(told).toEqual(["holds"]);
  state.folders = 2;
  state.holds.push(8);
  await pass();
  expect(told).toEqual(["holds", "folders", "holds"]);
});

test("what changes before it is listened to is not told; what changes right afterwards is", async () => {
  const { state, changes } = follow();
  state.folders = 5;
  const told: string[] = [];
  await changes.listen((name) => told.push(name));
  state.folders = 6;
  await pass();
  expect(told).toEqual(["folders"]);
});

test("nobody looks while nobody listens, and each listener is told until it leaves", async () => {
  const { state, changes, looks } = follow();
  const [first, second]: string[][] = [[], []];
  const leave = await changes.listen((name) => first!.push(name));
  const leaveToo = await changes.listen((name) => second!.push(name));
  state.folders = 2;
  await pass();
  leave();
  state.folders = 3;
  await pass();
  leaveToo();
  await pass();
  const before = looks();
  await pass();
  await pass();
  expect([first, second, looks()]).toEqual([["folders"], ["folders", "folders"], before]);
  await changes.listen((name) => first!.push(name));
  state.folders = 4;
  await pass();
  expect(first).toEqual(["folders", "folders"]);
});

test("what cannot be read any more has changed, and so has what can be again", async () => {
  const { state, changes } = follow();
  const told: string[] = [];
  await changes.listen((name) => told.push(name));
  state.folders = -1;
  await pass();
  await pass();
  state.folders = 1;
  await pass();
  expect(told).toEqual(["folders", "folders"]);
});

import { liveMachine } from "./liveMachine";

class FakeEvents {
  static readonly open: FakeEvents[] = [];
  onmessage: ((message: { data: string }) => void) | undefined;
  onerror: (() => void) | undefined;

  constructor() {
    FakeEvents.open.push(this);
  }

  close(): void {
    FakeEvents.open.splice(FakeEvents.open.indexOf(this), 1);
  }

  tell(figures: object): void {
    this.onmessage!({ data: JSON.stringify(figures) });
  }
}

beforeEach(() => {
  jest.useFakeTimers();
  Object.assign(globalThis, { EventSource: FakeEvents });
});
afterEach(() => jest.useRealTimers());

test("whoever follows shares one connection, which ends with the last of them, figures and all", () => {
  const told = jest.fn();
  const leave = [liveMachine.follow(told), liveMachine.follow(() => undefined)];
  expect(FakeEvents.open).toHaveLength(1);
  FakeEvents.open[0]!.tell({ programs: [] });
  expect([told.mock.calls.length, liveMachine.latest]).toEqual([1, { figures: { programs: [] }, lost: false }]);
  leave[0]!();
  expect(FakeEvents.open).toHaveLength(1);
  leave[1]!();
  expect(FakeEvents.open).toHaveLength(0);
  expect(liveMachine.latest.figures).toBeUndefined();
});

test("a screen that opens has the figures that were asked for ahead; nobody looks on for one that never opens", () => {
  liveMachine.lookAhead();
  FakeEvents.open[0]!.tell({ programs: [] });
  const leave = liveMachine.follow(() => undefined);
  expect(liveMachine.latest.figures).toBeDefined();
  jest.runAllTimers();
  expect(FakeEvents.open).toHaveLength(1);
  leave();
  liveMachine.lookAhead();
  jest.runAllTimers();
  expect(FakeEvents.open).toHaveLength(0);
});

test("without the server the last figures stay, said to be old, until it is back", () => {
  const leave = liveMachine.follow(() => undefined);
  FakeEvents.open[0]!.tell({ programs: [] });
  FakeEvents.open[0]!.onerror!();
  expect(liveMachine.latest).toEqual({ figures: { programs: [] }, lost: true });
  FakeEvents.open[0]!.tell({ programs: [] });
  expect(liveMachine.latest.lost).toBe(false);
  leave();
});

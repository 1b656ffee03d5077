import { Helper } from "./helper";

interface Fake {
  isTerminated: boolean;
  onerror: ((event: { message: string; preventDefault: () => void }) => void) | null;
  terminate: () => void;
}

test("whoever waits for a helper that ends is told why, and the next request is done by another", async () => {
  const workers: Fake[] = [];
  const startWorker = () => {
    const worker: Fake = { isTerminated: false, onerror: null, terminate: () => (worker.isTerminated = true) };
    workers.push(worker);
    return worker as unknown as Worker;
  };
  const helper = new Helper("The helper", startWorker, (running) => running);
  expect(await helper.ask(() => Promise.resolve(1))).toBe(1);
  const [one, other] = [helper.ask(() => new Promise(() => undefined)), helper.ask(() => new Promise(() => undefined))];
  workers[0]!.onerror!({ message: "Uncaught RangeError: no memory", preventDefault: () => undefined });
  await expect(one).rejects.toThrow("The helper stopped: no memory");
  await expect(other).rejects.toThrow("The helper stopped");
  expect(workers[0]!.isTerminated).toBe(true);
  expect(await helper.ask(() => Promise.resolve(2))).toBe(2);
  expect(workers).toHaveLength(2);
});

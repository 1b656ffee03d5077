import { Problem } from "../http/problem";
import { Jobs, type JobControl } from "./jobs";

/** Work that goes on by one step whenever it is told to. */
function stepwise() {
  let next: (() => void) | undefined;
  const steps: number[] = [];
  const work = async ({ gate, report }: JobControl) => {
    for (let step = 1; step <= 3; step++) {
      await new Promise<void>((resolve) => (next = resolve));
      await gate();
      steps.push(step);
      report(step / 3, `${step} of 3`);
    }
    return "all of it";
  };
  const go = async () => {
    next!();
    await new Promise((resolve) => setImmediate(resolve));
  };
  return { work, go, steps };
}

test("work is listed with how far it is, and how it ended", async () => {
  const jobs = new Jobs();
  const { work, go } = stepwise();
  const { id, ended } = jobs.start("Counting", work);
  expect(jobs.list()).toEqual([{ id, title: "Counting", state: "running", progress: 0, detail: "" }]);
  await go();
  expect(jobs.list()[0]).toMatchObject({ progress: 1 / 3, detail: "1 of 3" });
  await go();
  await go();
  expect(await ended).toBe("done");
  expect(jobs.list()[0]).toMatchObject({ state: "done", progress: 1, detail: "all of it" });
});

test("a paused job does nothing until it is resumed; a cancelled one ends with the piece of work under way", async () => {
  const jobs = new Jobs();
  const { work, go, steps } = stepwise();
  const { id, ended } = jobs.start("Counting", work);
  jobs.steer(id, "pause");
  await go();
  expect(steps).toEqual([]);
  jobs.steer(id, "resume");
  await new Promise((resolve) => setImmediate(resolve));
  expect(steps).toEqual([1]);
  jobs.steer(id, "cancel");
  expect(jobs.list()[0]!.state).toBe("running");
  await go();
  expect(await ended).toBe("cancelled");
  expect(steps).toEqual([1]);
  expect(() => jobs.steer(id, "resume")).toThrow(Problem);
  expect(() => jobs.steer("none", "pause")).toThrow("There is no job none");
});

test("all can be ended at once, those that are paused too", async () => {
  const jobs = new Jobs();
  const [a, b] = [stepwise(), stepwise()];
  const started = [jobs.start("a", a.work), jobs.start("b", b.work)];
  jobs.steer(started[0]!.id, "pause");
  await a.go();
  jobs.cancelAll();
  await b.go();
  expect(await Promise.all(started.map(({ ended }) => ended))).toEqual(["cancelled", "cancelled"]);
});

test("what a job fails of is told; what nobody foresaw is logged too", async () => {
  const jobs = new Jobs();
  const log = jest.spyOn(console, "error").mockImplementation(() => undefined);
  const full = jobs.start("a", () => Promise.reject(new Problem(507, "drive-full", "the drive is full")));
  expect(await full.ended).toBe("failed");
  expect(log).not.toHaveBeenCalled();
  await jobs.start("b", () => Promise.reject(new Error("broken"))).ended;
  expect(jobs.list().map(({ detail }) => detail)).toEqual(["the drive is full", "broken"]);
  expect(log).toHaveBeenCalledTimes(1);
  log.mockRestore();
});

test("those that ended long ago are forgotten, those under way never", async () => {
  const jobs = new Jobs();
  const { work } = stepwise();
  const { id } = jobs.start("goes on", work);
  for (let n = 0; n < 40; n++) await jobs.start(String(n), () => Promise.resolve("")).ended;
  const titles = jobs.list().map(({ title }) => title);
  expect(jobs.list().some((job) => job.id === id)).toBe(true);
  expect(titles).toHaveLength(21);
  expect(titles.at(-1)).toBe("39");
});

test("whoever follows is told of every change until they leave", async () => {
  const jobs = new Jobs();
  let told = 0;
  const leave = jobs.subscribe(() => told++);
  await jobs.start("a", () => Promise.resolve("")).ended;
  expect(told).toBeGreaterThan(0);
  leave();
  const before = told;
  await jobs.start("b", () => Promise.resolve("")).ended;
  expect(told).toBe(before);
});

test("whoever waits for a job gets what it returns or throws, and ends it by leaving", async () => {
  const jobs = new Jobs();
  const left = new AbortController();
  const wait = (work: (control: JobControl) => Promise<number>) => jobs.answer("Counting", work, left.signal);
  expect(await wait(() => Promise.resolve(3))).toBe(3);
  const log = jest.spyOn(console, "error").mockImplementation(() => undefined);
  await expect(wait(() => Promise.reject(new Problem(404, "none", "nothing there")))).rejects.toThrow("nothing there");
  expect(log).not.toHaveBeenCalled();
  log.mockRestore();
  const waiting = wait(async ({ gate, signal }) => {
    await new Promise((resolve) => signal.addEventListener("abort", resolve));
    await gate();
    return 1;
  });
  left.abort();
  await expect(waiting).rejects.toMatchObject({ status: 409, message: "Counting: it was cancelled" });
  // Who left before is not worked for.
  await expect(wait(async ({ gate }) => gate().then(() => 1))).rejects.toThrow("it was cancelled");
  expect(jobs.list().map(({ state }) => state)).toEqual(["done", "failed", "cancelled", "cancelled"]);
});

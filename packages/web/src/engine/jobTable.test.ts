import { JobTable, type Work } from "./jobTable";
import type { PreviewTimeline } from "./previewTimeline";

const timeline = {} as PreviewTimeline;
const frame = (purpose: "fill" | "order", key: string) =>
  ({ kind: "frame", frame: 1, purpose, keep: "memory", key, timeline, taken: [] }) as const;

function table(...works: Work[]): { readonly jobs: JobTable; readonly stopped: number[] } {
  const stopped: number[] = [];
  const jobs = new JobTable((job) => stopped.push(job));
  works.forEach((work) => jobs.add(work));
  return { jobs, stopped };
}

test("the scheduler is told of all that takes a worker, without what only the engine needs", () => {
  const { jobs } = table(
    frame("fill", "a"),
    { kind: "branch", frame: 2, purpose: "order", keep: "memory", key: "b", layer: "sky", timeline },
    { kind: "fetch", frame: 3, purpose: "play", keep: "memory", key: "c", timeline },
    { kind: "bake", bake: "one" },
    { kind: "calibration" },
    { kind: "warm-up" },
    { kind: "trial" },
  );
  const startedMs = expect.any(Number) as number;
  expect(jobs.plain()).toEqual([
    { id: 0, kind: "render", frame: 1, purpose: "fill", startedMs },
    { id: 1, kind: "render", frame: 2, purpose: "order", layer: "sky", startedMs },
    { id: 2, kind: "fetch", frame: 3, purpose: "play", startedMs },
    { id: 3, kind: "bake" },
    { id: 4, kind: "trial" },
    { id: 5, kind: "trial" },
    { id: 6, kind: "trial" },
  ]);
});

test("a job is stopped once, and a fetch never", () => {
  const { jobs, stopped } = table(frame("fill", "a"), {
    kind: "fetch",
    frame: 3,
    purpose: "play",
    keep: "memory",
    key: "c",
    timeline,
  });
  jobs.stopAll();
  jobs.stopAll();
  expect(stopped).toEqual([0]);
});

test("orders are stopped without the bakes beside them", () => {
  const { jobs, stopped } = table(frame("order", "a"), { kind: "bake", bake: "one" }, frame("fill", "b"));
  jobs.stopWhere((job) => job.kind === "frame" && job.purpose === "order");
  expect(stopped).toEqual([0]);
  expect(jobs.for("order").map(({ key }) => key)).toEqual(["a"]);
});

test("what is over is under way no more, and its number is not given again", () => {
  const { jobs } = table(frame("fill", "a"));
  expect([jobs.isUnderWay("a"), jobs.isExpected("a"), jobs.count("frame")]).toEqual([true, true, 1]);
  jobs.stopAll();
  expect([jobs.isUnderWay("a"), jobs.isExpected("a")]).toEqual([true, false]);
  expect(jobs.end(0)).toMatchObject({ key: "a" });
  expect([jobs.end(0), jobs.isUnderWay("a"), jobs.size]).toEqual([undefined, false, 0]);
  expect(jobs.newId()).toBe(1);
});

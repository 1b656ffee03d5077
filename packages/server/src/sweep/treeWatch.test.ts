import { appendFileSync, mkdirSync, rmdirSync, rmSync, watch as fsWatch, writeFileSync } from "node:fs";
import path from "node:path";
import { withFolder } from "../../../../testing/server";
import { until } from "../../../../testing/until";
import { TreeWatch } from "./treeWatch";

// Long after anything was written.
const LATER_MS = 60_000;

/** A watch over a folder with another and a file in it. */
function withWatch(use: (watch: TreeWatch, root: string) => Promise<void>): Promise<void> {
  return withFolder(async (root) => {
    for (const name of ["in", "left out"]) mkdirSync(path.join(root, name));
    writeFileSync(path.join(root, "in/a"), "a");
    const watch = new TreeWatch(root, "left out");
    watch.follow(["", "in"]);
    try {
      await use(watch, root);
    } finally {
      watch.close();
    }
  });
}

test.each<[string, (root: string) => void]>([
  ["added", (root) => writeFileSync(path.join(root, "b"), "b")],
  ["written", (root) => appendFileSync(path.join(root, "in/a"), "more")],
  ["removed", (root) => rmSync(path.join(root, "in/a"))],
])("what is %s is noticed, and looked at once it rests", (_what, change) =>
  withWatch(async (watch, root) => {
    expect(watch.isDue(Date.now() + LATER_MS)).toBe(false);
    const before = Date.now();
    change(root);
    await until(() => watch.isDue(Date.now() + LATER_MS));
    expect(watch.isDue(before)).toBe(false);
    watch.forgetChanges();
    expect(watch.isDue(Date.now() + LATER_MS)).toBe(false);
  }),
);

test("a folder that is left out may come and go", () =>
  withWatch(async (watch, root) => {
    let told = 0;
    const other = fsWatch(root, () => told++);
    rmdirSync(path.join(root, "left out"));
    await until(() => told > 0);
    other.close();
    expect(watch.isDue(Date.now() + LATER_MS)).toBe(false);
  }));

test("where there are too many folders nothing is watched, and a folder that went is looked for", () =>
  withWatch((watch) => {
    watch.follow(Array.from({ length: 1001 }, () => ""));
    expect([watch.isOn, watch.isDue(Date.now() + LATER_MS)]).toEqual([false, false]);
    watch.follow(["", "gone"]);
    expect([watch.isOn, watch.isDue(Date.now() + LATER_MS)]).toEqual([true, true]);
    return Promise.resolve();
  }));

test("while it rests a look is due, whatever happens, and the next one watches again", () =>
  withWatch(async (watch, root) => {
    const before = Date.now();
    watch.rest();
    expect(watch.isOn).toBe(true);
    expect(watch.isDue(before + LATER_MS)).toBe(true);
    watch.forgetChanges();
    watch.follow(["", "in"]);
    writeFileSync(path.join(root, "b"), "b");
    await until(() => watch.isDue(Date.now() + LATER_MS));
  }));

test("what was not watched does not seem so after a rest", () =>
  withFolder((root) => {
    const watch = new TreeWatch(root, "left out");
    watch.rest();
    expect(watch.isOn).toBe(false);
  }));

import { newsOf } from "./otherTabs";

const at = (revision: number, id = "night-roost") => ({ id, revision });

test("what another tab wrote is news; what this one wrote, or an older state, is not", () => {
  expect(newsOf(at(3), "night-roost", at(4))).toBe("newer");
  expect(newsOf(at(3), "night-roost", at(3))).toBe("none");
  expect(newsOf(at(3), "night-roost", at(2))).toBe("none");
});

test("a composition that is gone was removed elsewhere, unless another one is open here by now", () => {
  expect(newsOf(at(3), "night-roost", undefined)).toBe("removed");
  expect(newsOf(at(1, "estuary-map"), "night-roost", undefined)).toBe("none");
  expect(newsOf(at(1, "estuary-map"), "night-roost", at(9))).toBe("none");
  expect(newsOf(undefined, "night-roost", at(1))).toBe("none");
});

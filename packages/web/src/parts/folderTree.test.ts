import type { FolderListing, FolderStart } from "@kinetocache/core";
import { pathAbove, pathBelow, startFor, treeOf, wayTo } from "./folderTree";

const starts: readonly FolderStart[] = [
  { path: "/home/artist", kind: "home" },
  { path: "/", kind: "drive" },
  { path: "/mnt/fast", kind: "drive" },
  { path: "/mnt/fast/caches", kind: "recent" },
];

test("paths are taken apart and put together as the system writes them", () => {
  expect([pathBelow("/", "mnt"), pathBelow("/mnt", "fast")]).toEqual(["/mnt", "/mnt/fast"]);
  expect([pathAbove("/mnt/fast"), pathAbove("/mnt"), pathAbove("/")]).toEqual(["/mnt", "/", undefined]);
  expect([pathBelow("C:\\", "Jobs"), pathBelow("C:\\Jobs", "Flyway")]).toEqual(["C:\\Jobs", "C:\\Jobs\\Flyway"]);
  expect([pathAbove("C:\\Jobs\\Flyway"), pathAbove("C:\\Jobs"), pathAbove("C:\\")]).toEqual([
    "C:\\Jobs",
    "C:\\",
    undefined,
  ]);
});

test("looking begins nearest above what is typed, otherwise at home", () => {
  expect(startFor(starts, "/mnt/fast/caches/Flyway 101")).toBe("/mnt/fast/caches");
  expect(startFor(starts, "/mnt/faster")).toBe("/");
  expect(startFor(starts, "")).toBe("/home/artist");
  expect(startFor(starts, "renders")).toBe("/home/artist");
  expect(startFor([], "/mnt")).toBeUndefined();
});

test("the way down to a folder leads through all in between", () => {
  expect(wayTo("/mnt/fast", "/mnt/fast/caches/Flyway 101")).toEqual([
    "/mnt/fast",
    "/mnt/fast/caches",
    "/mnt/fast/caches/Flyway 101",
  ]);
  expect(wayTo("/", "/mnt")).toEqual(["/", "/mnt"]);
  expect(wayTo("/mnt/fast", "/mnt/faster")).toEqual([]);
});

test("what is not listed yet can be opened, what holds no folders cannot; reasons stay with their folder", () => {
  const listings = new Map<string, FolderListing>([
    [
      "/mnt",
      { path: "/mnt", folders: [{ name: "a", bytes: 5 }, { name: "b", refusal: "is swept" }, { name: "c" }], more: 0 },
    ],
    ["/mnt/c", { path: "/elsewhere", folders: [], more: 0 }],
    ["/mnt/b", { path: "/mnt/b", folders: [{ name: "a" }], more: 0 }],
  ]);
  const nodes = treeOf("/mnt", listings);
  expect(nodes.map(({ id, isBranch, parent }) => [id, isBranch, parent])).toEqual([
    ["", true, null],
    ["/mnt", true, ""],
    ["/mnt/a", true, "/mnt"],
    ["/mnt/b", true, "/mnt"],
    ["/mnt/b/a", true, "/mnt/b"],
    ["/mnt/c", false, "/mnt"],
  ]);
  expect(nodes.map(({ metadata }) => metadata.refusal ?? metadata.bytes)).toEqual([
    undefined,
    undefined,
    5,
    "is swept",
    undefined,
    undefined,
  ]);
  expect(new Set(nodes.map(({ id }) => id)).size).toBe(nodes.length);
});

import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { emptyTree, filesOf, type FileTree } from "@kinetocache/core";
import fc from "fast-check";
import { withFolder } from "../../../../testing/server";
import { Folder } from "../files/folder";
import { decodeTree, writeTree } from "./savedTree";

const name = fc.string({ unit: fc.constantFrom("a", "Ä", "\n", " ", "💧", "'"), minLength: 1, maxLength: 12 });
const trees = fc
  .array(fc.record({ name, files: fc.array(fc.tuple(name, fc.nat()), { maxLength: 5 }), parent: fc.nat() }), {
    minLength: 1,
    maxLength: 8,
  })
  .map((folders): FileTree => {
    const tree = emptyTree();
    for (const [number, folder] of folders.entries()) {
      tree.folders.name.push(number === 0 ? "" : folder.name);
      tree.folders.parent.push(number === 0 ? -1 : folder.parent % number);
      tree.folders.changedMs.push(1.5 * number);
      tree.folders.firstFile.push(tree.files.name.length);
      tree.folders.files.push(folder.files.length);
      tree.folders.notRead.push(folder.parent % 3 === 0 ? "it may not be read" : undefined);
      if (folder.parent % 4 === 0) tree.owners.set(number, { project: folder.name, projectFileFound: false });
      for (const [file, size] of folder.files) {
        if (size % 5 === 0) tree.links.set(tree.files.name.length, { inode: size, count: 2 });
        tree.files.name.push(file);
        tree.files.allocated.push(size * 2);
        tree.files.size.push(size);
        tree.files.usedMs.push(size / 3);
        tree.files.modifiedMs.push(size / 7);
      }
    }
    return tree;
  });

/** All that a tree says, in plain lists. */
function plain({ folders, files, links, owners, ...rest }: FileTree) {
  const { name: names, ...columns } = files;
  const numbers = Object.entries(columns).map(([column, values]) => [column, [...values.view()]]);
  const all = Array.from({ length: names.length }, (_, index) => names.at(index));
  return { folders, names: all, numbers, links, owners, rest };
}

test("a scan is read as it was written, and not at all where its file was torn or altered", () =>
  withFolder((folder) => {
    const file = path.join(folder, "scan");
    const place = Folder.open(folder);
    fc.assert(
      fc.property(trees, fc.nat(), (tree, at) => {
        writeTree(place, "scan", tree);
        const read = decodeTree(readFileSync(file))!;
        expect(plain(read)).toEqual(plain(tree));
        expect([...filesOf(read)]).toEqual([...filesOf(tree)]);
        const whole = readFileSync(file);
        const altered = Buffer.from(whole);
        altered[at % whole.length]! ^= 1;
        for (const wrong of [whole.subarray(0, at % whole.length), altered]) {
          writeFileSync(file, wrong);
          expect(decodeTree(readFileSync(file))).toBeUndefined();
        }
      }),
      { numRuns: 60 },
    );
    place.close();
    return Promise.resolve();
  }));

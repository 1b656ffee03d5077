import fc from "fast-check";
import { numberedName, rangesText, sequenceOf } from "./sequence";

const files = (...names: string[]) => names.map((name) => ({ name, file: name }));

test("files are counted from the lowest number, whatever the order, and gaps are named", () => {
  const found = sequenceOf(files("plate.0103.png", "plate.0101.png", "plate.0106.png"))!;
  expect(found).toMatchObject({ name: "plate", first: 101, gaps: [1, 3, 4], others: [] });
  expect(found.files.map(({ number }) => number)).toEqual([101, 103, 106]);
});

test("what most files share is the sequence; the others are named", () => {
  const found = sequenceOf(files("a_1.png", "a_2.png", "a_3.png", "b_1.png", "notes.txt", "a_2.exr"))!;
  expect(found.files.map(({ file }) => file)).toEqual(["a_1.png", "a_2.png", "a_3.png"]);
  expect(found.others).toEqual(["b_1.png", "notes.txt", "a_2.exr"]);
});

test("a name with several numbers counts by the last; without any there is no sequence", () => {
  expect(sequenceOf(files("shot12_v3.0007.PNG", "shot12_v3.0008.png"))).toMatchObject({ name: "shot12_v3", first: 7 });
  expect(sequenceOf(files("readme.txt"))).toBeUndefined();
  expect(sequenceOf([])).toBeUndefined();
});

const uniqueNumbers = fc.uniqueArray(fc.integer({ min: 0, max: 99999 }), { minLength: 1, maxLength: 30 });

test("what is named by number is found again as it was", () => {
  fc.assert(
    fc.property(
      uniqueNumbers,
      fc.integer({ min: -200, max: 2000 }),
      fc.integer({ min: 1, max: 7 }),
      (numbers, first, digits) => {
        const found = sequenceOf(
          numbers.map((number) => ({
            name: numberedName("flock", number, "exr", { first, digits }),
            file: first + number,
          })),
        )!;
        expect(found.files.map(({ file }) => file)).toEqual(numbers.map((n) => first + n).sort((a, b) => a - b));
        // Named again by what was found, every file has its name back.
        for (const number of numbers)
          expect(numberedName("flock", first + number - found.first, "exr", found)).toBe(
            numberedName("flock", number, "exr", { first, digits }),
          );
        const last = first + Math.max(...numbers) - found.first;
        expect(found.gaps.length + numbers.length).toBe(last + 1);
      },
    ),
  );
});

test("negative numbers come before the others; a hyphen that separates is no sign", () => {
  const found = sequenceOf(files("plate.0001.png", "plate.-0002.png", "plate.0000.png", "plate.-0001.png"))!;
  expect(found).toMatchObject({ name: "plate", first: -2, gaps: [], others: [] });
  expect(found.files.map(({ number }) => number)).toEqual([-2, -1, 0, 1]);
  expect(sequenceOf(files("shot-001.png", "shot-002.png"))).toMatchObject({ name: "shot", first: 1 });
});

test("a time stamp or four hundred digits among the numbers are no part of the sequence", () => {
  const long = `plate.${"9".repeat(400)}.png`;
  const names = ["plate.0001.png", "plate.0002.png", "plate.20261127.png", "plate.20261127093015.png", long];
  const found = sequenceOf(files(...names))!;
  expect(found.files.map(({ number }) => number)).toEqual([1, 2]);
  expect(found.others).toEqual(names.slice(2));
  expect(sequenceOf(files(long))).toBeUndefined();
});

test("of two files with one number the first counts", () => {
  expect(sequenceOf(files("a.1.png", "a.01.png", "a.2.png"))).toMatchObject({ others: ["a.01.png"] });
});

test("many names are read in one go through them", () => {
  const names = Array.from({ length: 100_000 }, (_, n) => `plate ${"x".repeat(50)}.${n * 3}.png`);
  const found = sequenceOf(files(...names))!;
  expect([found.files.length, found.gaps.length]).toEqual([100_000, 199_998]);
});

test("numbers are listed in stretches", () => {
  expect(rangesText([7, 3, 8, 9, 12])).toBe("3, 7 – 9, 12");
  expect(rangesText([])).toBe("");
  expect(rangesText([1, 3, 5, 7, 8], 2)).toBe("1, 3 and 2 more stretches");
});

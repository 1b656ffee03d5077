import fc from "fast-check";
import { Names, Numbers } from "./columns";

const name = fc.string({ unit: fc.constantFrom("a", "Ä", "\n", "/", "💧", "\0"), maxLength: 40 });

test("rows of names and numbers are what was pushed and appended, in that order", () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(name, fc.double()), { maxLength: 60 }), fc.nat(), fc.nat(), (all, a, b) => {
      const [from, to] = [a % (all.length + 1), b % (all.length + 1)].sort((x, y) => x - y) as [number, number];
      const names = new Names();
      const numbers = new Numbers();
      for (const [text, value] of all) {
        names.push(text);
        numbers.push(value);
      }
      const moreNames = new Names();
      const moreNumbers = new Numbers();
      moreNames.push("first");
      moreNumbers.push(7);
      moreNames.append(names, from, to);
      moreNumbers.append(numbers, from, to);
      const part = all.slice(from, to);
      const list = Array.from({ length: moreNames.length }, (_, index) => moreNames.at(index));
      expect(list).toEqual(["first", ...part.map(([text]) => text)]);
      const ends = list.map((_, index) => moreNames.lastCode(index));
      expect(ends).toEqual(list.map((text) => text.charCodeAt(text.length - 1)));
      expect([...moreNumbers.view()]).toEqual([7, ...part.map(([, value]) => value)]);
    }),
  );
});

test("they grow past the room that they start with", () => {
  const names = new Names();
  const numbers = new Numbers();
  for (let n = 0; n < 5000; n++) {
    names.push(`frame ${n}`);
    numbers.push(n);
  }
  expect([names.length, names.at(0), names.at(4999)]).toEqual([5000, "frame 0", "frame 4999"]);
  expect([numbers.length, numbers.sum(), numbers.largest()]).toEqual([5000, (5000 * 4999) / 2, 4999]);
  expect(new Numbers().largest()).toBe(0);
});

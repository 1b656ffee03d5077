import { choiceFor, mergeAdapters, type Adapter } from "./adapters";

const adapter = (choice: Adapter["choices"][number], name: string, isSoftware = false): Adapter => ({
  choices: [choice],
  name,
  isSoftware,
  hasTimestamps: true,
  mostPictureBytes: 2 ** 30,
});

test("one device that answers to every question is listed once, and asked for its speed", () => {
  const [only, ...more] = mergeAdapters([adapter("low-power", "one"), adapter("high-performance", "one")]);
  expect(more).toEqual([]);
  expect(only!.choices).toEqual(["low-power", "high-performance"]);
  expect(choiceFor(only!)).toBe("high-performance");
});

test("two devices stay two, and a software one is chosen as what it is", () => {
  const merged = mergeAdapters([
    adapter("low-power", "small"),
    adapter("high-performance", "large"),
    adapter("software", "stand-in", true),
  ]);
  expect(merged.map(choiceFor)).toEqual(["low-power", "high-performance", "software"]);
});

test("where the software stand-in is all there is, it answers for everything and is still called software", () => {
  const [only] = mergeAdapters(
    (["low-power", "high-performance", "software"] as const).map((choice) => adapter(choice, "stand-in", true)),
  );
  expect(choiceFor(only!)).toBe("software");
});

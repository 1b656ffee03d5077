import { refusalText } from "./refusal";

test("what is wrong is said in a sentence, and the rest below it", () => {
  expect(refusalText("a.json", new Error("format: must be a sheet."))).toBe(
    "a.json was not imported: format: must be a sheet.",
  );
  expect(refusalText("a.json", new Error("name: is required\ncores: must be a number"))).toBe(
    "a.json was not imported: name: is required.\ncores: must be a number",
  );
});

import fc from "fast-check";
import Papa from "papaparse";
import { csvText } from "./csv";

const text = fc.string({ unit: fc.constantFrom(..."abÄ ,\"'\n\r;=+-@/") });
const read = (csv: string) => Papa.parse<string[]>(csv.slice(0, -2), { newline: "\r\n" }).data;

test("whatever a project or a file is called, its line is read back as it was, and no cell is a formula", () => {
  fc.assert(
    fc.property(text, text, (project, id) => {
      const [names, row] = read(csvText(["project", "bytes", "item"], [[project, -4, id]]));
      expect(names).toEqual(["project", "bytes", "item"]);
      const [readProject, bytes, readId] = row!;
      expect(bytes).toBe("-4");
      for (const [was, is] of [
        [project, readProject!],
        [id, readId!],
      ] as const) {
        expect(is.replace(/^'(?=[=+\-@\t\r])/, "")).toBe(was.replace(/^'(?=[=+\-@\t\r])/, ""));
        expect(/^[=+\-@]/.test(is)).toBe(false);
      }
    }),
  );
});

test("nothing is listed under its names", () => {
  expect(csvText(["a", "b"], [])).toBe("a,b\r\n");
});

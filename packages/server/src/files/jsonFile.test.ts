import { mkdirSync, readdirSync, readFileSync, rmdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import Joi from "joi";
import { withFolder } from "../../../../testing/server";
import { JsonFile } from "./jsonFile";

const schema = Joi.number().required();
const open = (file: string) => JsonFile.open(file, { format: "kinetocache-test", version: 2 }, schema, 0);

test("values that are written at the same time follow one another, and the last one stands", () =>
  withFolder(async (folder) => {
    const file = path.join(folder, "a.json");
    const kept = await open(file);
    await Promise.all(Array.from({ length: 50 }, (_, n) => kept.replace(n)));
    expect([kept.value, (await open(file)).value]).toEqual([49, 49]);
    expect(readdirSync(folder)).toEqual(["a.json"]);
  }));

test("one that cannot be written is told, and the next is written all the same", () =>
  withFolder(async (folder) => {
    const file = path.join(folder, "a.json");
    const kept = await open(file);
    // In the way of the name under which it is written first.
    mkdirSync(`${file}.new`);
    await expect(kept.replace(1)).rejects.toMatchObject({ code: "EISDIR" });
    rmdirSync(`${file}.new`);
    await kept.replace(2);
    expect((await open(file)).value).toBe(2);
  }));

test.each(["{", '"no number"'])("a file that reads %s is put aside, not overwritten", (text) =>
  withFolder(async (folder) => {
    const file = path.join(folder, "a.json");
    writeFileSync(file, text);
    const said = jest.spyOn(console, "error").mockImplementation(() => undefined);
    expect((await open(file)).value).toBe(0);
    expect(said.mock.calls).toMatchObject([[expect.stringMatching(/put aside/), expect.anything()]]);
    said.mockRestore();
    expect(readFileSync(`${file}.damaged`, "utf8")).toBe(text);
  }),
);

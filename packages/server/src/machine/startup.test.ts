import { parseDesktopEntry } from "./startup";

test("a desktop entry gives its name, its command and its categories, and actions below do not count", () => {
  const text = `# made up
[Desktop Entry]
Name=Field Notes
Exec="/opt/field notes/bin/notes" --open %U
Categories=Office;FileTransfer;

[Desktop Action new]
Name=New note
Exec=other
`;
  expect(parseDesktopEntry(text, "notes.desktop")).toEqual({
    name: "Field Notes",
    command: "notes",
    categories: ["Office", "FileTransfer"],
    file: "notes.desktop",
    hidden: false,
  });
});

test("what runs nothing is no program; what the user switched off is hidden", () => {
  expect(parseDesktopEntry("[Desktop Entry]\nName=Link\nURL=x\n", "a")).toBeUndefined();
  expect(parseDesktopEntry("Exec=x\n", "a")).toBeUndefined();
  expect(parseDesktopEntry("[Desktop Entry]\nExec=mirror\nHidden=true\n", "a")).toMatchObject({
    name: "mirror",
    hidden: true,
  });
});

import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import { makeFiles } from "../../../../testing/sweeper";
import { withFolder, withServerIn } from "../../../../testing/server";

test("files from before 1970 are swept and brought back with their dates", () =>
  withFolder(async (folder) => {
    const tree = path.join(folder, "tree");
    makeFiles(tree, ["Flyway/Cache/old.tmp"]);
    const made = ["Flyway/Cache/old.tmp", "Flyway/Cache"].map((name) => path.join(tree, name));
    // Node writes no dates before 1970.
    execFileSync("touch", ["-d", "1960-02-03 04:05:06Z", ...made]);
    await withServerIn(path.join(folder, "data"), async (server) => {
      const ask = async <T>(target: string, body: unknown) =>
        (await (await server.send("POST", target, body)).json()) as T;
      const { id } = await ask<{ id: string }>("/api/sweep/folders", { folder: tree, projects: [] });
      await ask(`/api/sweep/folders/${id}/scan`, { fresh: true });
      const items = async () => {
        // Lines of JSON; none before anything was scanned.
        const [line] = (await (await server.ask(`/api/sweep/folders/${id}/items`)).text()).split("\n");
        return line ? (JSON.parse(line) as { rows: [string][] }).rows : [];
      };
      while ((await items()).length === 0) await new Promise((resolve) => setTimeout(resolve, 20));
      const selection = [{ place: id, ids: (await items()).map(([name]) => name) }];
      const { batches } = await ask<{ batches: { id: string }[] }>("/api/sweep/holds", { selection });
      expect(existsSync(made[0]!)).toBe(false);
      expect(await ask(`/api/sweep/holds/${batches[0]!.id}/restore`, {})).toEqual({ stayed: [] });
      const date = execFileSync("stat", ["-c", "%y", made[0]!], { env: { ...process.env, TZ: "UTC" } }).toString();
      expect(date).toContain("1960-02-03 04:05:06");
    });
  }));

test("names with a line break in our own folders are left where they are, and stop nothing", () =>
  withFolder(async (folder) => {
    const [data, tree] = [path.join(folder, "data"), path.join(folder, "tree")];
    const odd = ["frames/a\nb", "sequences/q\nr", "holding/h\ni", "holding/batch-0123456789abcdef\n"].map((name) =>
      path.join(data, "volume", name),
    );
    odd.push(path.join(tree, ".kinetocache-holding/batch-0123456789abcdef\nx"));
    for (const one of odd) {
      mkdirSync(one, { recursive: true });
      writeFileSync(path.join(one, "x\ny.pam"), "x");
    }
    await withServerIn(data, async (server) => {
      const registered = await server.send("POST", "/api/sweep/folders", { folder: tree, projects: [] });
      expect(registered.status).toBe(201);
      expect(await server.keys()).toEqual([]);
      expect(await server.json("/api/sequences")).toEqual([]);
      expect(await server.json("/api/sweep/holds")).toEqual([]);
      expect((await server.ask("/api/locations")).status).toBe(200);
    });
    for (const one of odd) expect(readdirSync(one)).toEqual(["x\ny.pam"]);
  }));

import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { parse } from "csv-parse/sync";
import { afterAll, describe, expect, it } from "vitest";
import { removeTempFolders, run, smallProject } from "../helpers/cli.js";

const FIXTURES = fileURLToPath(new URL("../fixtures/parquet", import.meta.url));
afterAll(removeTempFolders);

/** A project whose plan is at a Parquet file that another program wrote. */
function project(file: string, key = "id"): string {
  const folder = smallProject("id,note\n");
  copyFileSync(path.join(FIXTURES, file), path.join(folder, "notes.parquet"));
  const plan = path.join(folder, "plans", "log.yaml");
  writeFileSync(plan, readFileSync(plan, "utf8").replace("{ file: log.csv, key: id }", `{ file: notes.parquet, key: ${key} }`));
  return folder;
}
const filled = (folder: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, "notes.filled.csv")), { columns: true, bom: true });

describe("a Parquet file as a table", () => {
  it.each(["notes-snappy.parquet", "notes-zstd.parquet"])(
    "%s: is read exactly, with long numbers, days and nothing where there is none, and filled beside it",
    async (file) => {
      const folder = project(file);
      const source = readFileSync(path.join(folder, "notes.parquet"));
      expect((await run(["fill", "log", "--rows", "40", "--json"], folder)).json<{ asked: number }>()).toMatchObject({ asked: 40 });
      const rows = filled(folder);
      expect(rows.length).toBe(2_500);
      expect(rows[0]).toMatchObject({
        id: "N-0",
        note: "Note 0: smoke in the galley",
        big: "9007199254740993",
        ratio: "0",
        ok: "true",
        day: "2026-01-01",
        topic: "fire",
      });
      expect(rows[3]).toMatchObject({ note: "", topic: "" });
      expect(rows[2_499]).toMatchObject({
        id: "N-2499",
        count: "2499",
        big: "9007199254743492",
        ratio: "624.75",
        day: "2026-11-06",
        topic: "",
      });
      // It is only read.
      expect(readFileSync(path.join(folder, "notes.parquet")).equals(source)).toBe(true);
      const edited = readFileSync(path.join(folder, "notes.filled.csv"), "utf8").replace(
        "N-0,Note 0: smoke in the galley,0,9007199254740993,0,true,2026-01-01,fire",
        "N-0,Note 0: smoke in the galley,0,9007199254740993,0,true,2026-01-01,other",
      );
      writeFileSync(path.join(folder, "notes.filled.csv"), edited);
      expect((await run(["fill", "log", "--rows", "40"], folder)).code).toBe(0);
      expect(filled(folder)[0]).toMatchObject({ topic: "other" });
    },
  );

  it("gives samples and related rows, too", async () => {
    const folder = project("notes-zstd.parquet");
    const plan = path.join(folder, "plans", "log.yaml");
    writeFileSync(
      plan,
      `yoroshi: plan/1
name: log
table: { file: log.csv, key: id }
related:
  notes: { table: { file: notes.parquet }, match: { id: id }, figures: { sum: { sum: count } } }
steps:
  copy: { set: { counted: { cel: row.notes.sum } } }
`,
    );
    writeFileSync(path.join(folder, "log.csv"), "id\nN-7\nN-2000\nnone\n");
    expect((await run(["fill", "log"], folder)).code).toBe(0);
    expect(parse(readFileSync(path.join(folder, "log.filled.csv")), { columns: true })).toMatchObject([
      { counted: "7" },
      { counted: "2000" },
      { id: "none" },
    ]);
  });

  it("is refused where it is damaged, or has no such key; rows whose key is not theirs alone fail by themselves", async () => {
    const folder = project("notes-zstd.parquet", "nope");
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("there is no column `nope` to name its rows. Columns: id, note, count"),
    });
    const doubled = project("notes-zstd.parquet", "ok");
    const report = (await run(["fill", "log", "--rows", "5", "--json"], doubled)).json<{ failed: number; rows: number }>();
    expect(report).toMatchObject({ rows: 2_500, failed: 4_996 });
    writeFileSync(path.join(folder, "notes.parquet"), "PAR1 and nothing behind it");
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("it is no Parquet file, or a damaged one"),
    });
  });
});

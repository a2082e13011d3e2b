import { copyFileSync, existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, describe, expect, it } from "vitest";
import { standinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";
import { python, PYTHON } from "../helpers/other-programs.js";

afterAll(removeTempFolders);
const result = (folder: string, file = "log.filled.csv"): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file)), { columns: true, bom: true }) as Record<string, string>[];
const put = (folder: string, file: string, text: string): void => writeFileSync(path.join(folder, file), text);
const edit = (folder: string, file: string, change: (text: string) => string): void =>
  put(folder, file, change(readFileSync(path.join(folder, file), "utf8")));

describe("a result that a person works in", () => {
  it("keeps their column, their change and their order, and takes over new rows", async () => {
    const folder = smallProject(notesCsv(4));
    await run(["fill", "log"], folder);
    const rows = result(folder);
    const columns = [...Object.keys(rows[0]!), "owner"];
    const changed = [rows[3]!, { ...rows[0]!, note: "corrected by hand" }, rows[1]!, rows[2]!].map(
      (row, index) => ({ ...row, owner: index === 0 ? "Ann" : "" }) as Record<string, string>,
    );
    put(
      folder,
      "log.filled.csv",
      `${[columns, ...changed.map((row) => columns.map((column) => row[column]!))].map((cells) => cells.map((cell) => `"${cell.replaceAll('"', '""')}"`).join(",")).join("\n")}\n`,
    );
    put(folder, "log.csv", notesCsv(5));
    const ran = await run(["fill", "log"], folder);
    expect(ran).toMatchObject({ code: 0, err: expect.stringContaining("log.filled.csv: 1 row of log.csv is new, and last: n4.") });
    const now = result(folder);
    expect(now.map((row) => row["id"])).toEqual(["n3", "n0", "n1", "n2", "n4"]);
    expect([now[0]!["owner"], now[1]!["note"], now[4]!["topic"] !== ""]).toEqual(["Ann", "corrected by hand", true]);
    const again = await run(["fill", "log"], folder);
    expect(again.out).toContain("log.filled.csv stands as it should; it was not written again");
  });

  it("put back from an old copy is known as that, and brought up to date", async () => {
    const folder = smallProject(notesCsv(6));
    await run(["fill", "log"], folder);
    copyFileSync(path.join(folder, "log.filled.csv"), path.join(folder, "old.csv"));
    edit(folder, "templates/sort.yaml", (text) => text.replace("maxChars: 100", "maxChars: 12"));
    await run(["fill", "log"], folder);
    const now = readFileSync(path.join(folder, "log.filled.csv"), "utf8");
    expect(now).not.toBe(readFileSync(path.join(folder, "old.csv"), "utf8"));
    copyFileSync(path.join(folder, "old.csv"), path.join(folder, "log.filled.csv"));
    const ran = await run(["fill", "log"], folder);
    expect(ran.out).toMatch(/\d rows stood as after an earlier fill/);
    expect(ran.out).not.toContain("edited");
    expect(readFileSync(path.join(folder, "log.filled.csv"), "utf8")).toBe(now);
  });

  it("whose ledger is lost is not guessed about: a person says what it holds", async () => {
    const folder = smallProject(notesCsv(3));
    await run(["fill", "log"], folder);
    edit(folder, "log.filled.csv", (text) => text.replace(/^(n1,.*?),[a-z]+,/m, "$1,spill,"));
    const lost = (): void => rmSync(path.join(folder, ".yoroshi"), { recursive: true });
    lost();
    const asked = await run(["fill", "log"], folder);
    expect(asked).toMatchObject({
      code: 2,
      err: expect.stringContaining("log.filled.csv holds values in `topic`, `level`, `because` that the ledger knows nothing of"),
    });
    const held = readFileSync(path.join(folder, "log.filled.csv"), "utf8");
    const kept = (await run(["fill", "log", "--standing", "keep", "--json"], folder)).json();
    expect(kept).toMatchObject({ edited: 3, newEdits: 9, asked: 0 });
    expect(readFileSync(path.join(folder, "log.filled.csv"), "utf8")).toBe(held);
    lost();
    expect((await run(["fill", "log", "--standing", "renew", "--json"], folder)).json()).toMatchObject({
      edited: 0,
      filled: 3,
      asked: 3,
      written: true,
    });
    expect(readFileSync(path.join(folder, "log.filled.csv.backup"), "utf8")).toBe(held);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 3, newEdits: 0, written: false });
  });
});

describe("a key that names no row", () => {
  it("is refused before anything is asked or written, with the columns that could be one", async () => {
    const lines = Array.from(
      { length: 30 },
      (_, index) => `v${index},${["North", "South", "West"][index % 3]},${2000 + (index % 10)},smoke in hall ${index}`,
    );
    const folder = smallProject(`ref,Site,year,note\n${lines.join("\n")}\n`);
    edit(folder, "plans/log.yaml", (text) => text.replace("key: id", "key: ref"));
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 30 });
    const before = readFileSync(path.join(folder, "log.filled.csv"));
    edit(folder, "plans/log.yaml", (text) => text.replace("key: ref", "key: Site"));
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 2,
      err: "error: log.csv: `Site` does not name one row: in 27 of 30 rows it is the same as in an earlier one. Name the rows by `key: ref` or `key: note`. Nothing was written.\n",
    });
    expect(readFileSync(path.join(folder, "log.filled.csv")).equals(before)).toBe(true);
  });

  it("that only some rows share leaves those out, and a result is never said to stand that another run rewrote", async () => {
    const folder = smallProject(
      `ref,id,note\nr1,a,smoke\nr2,b,oil\nr3,c,motor\n${Array.from({ length: 20 }, (_, index) => `x${index},y${index},fire ${index}`).join("\n")}\nr4,a,pump\n`,
    );
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 23, failed: 1 });
    edit(folder, "plans/log.yaml", (text) => text.replace("key: id", "key: ref"));
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 24 });
    const right = readFileSync(path.join(folder, "log.filled.csv"), "utf8");
    expect(result(folder).every((row) => row["topic"] !== "")).toBe(true);
    edit(folder, "plans/log.yaml", (text) => text.replace("key: ref", "key: id"));
    await run(["fill", "log"], folder);
    edit(folder, "plans/log.yaml", (text) => text.replace("key: id", "key: ref"));
    await run(["fill", "log"], folder);
    expect(readFileSync(path.join(folder, "log.filled.csv"), "utf8")).toBe(right);
  });
});

describe("several plans on one file", () => {
  it("that run at the same time lose nothing of each other", async () => {
    const server = await standinServer({ latencyMs: 3 });
    try {
      for (let round = 0; round < 3; round++) {
        const folder = smallProject(notesCsv(40), { endpoint: server.endpoint });
        put(
          folder,
          "plans/other.yaml",
          readFileSync(path.join(folder, "plans/log.yaml"), "utf8")
            .replace("name: log", "name: other")
            .replace("topic: topic, level: level, because: why", "kind: topic, grade: level"),
        );
        const both = await Promise.all([
          run(["fill", "log", "--json", "--no-probe"], folder),
          run(["fill", "other", "--json", "--no-probe"], folder),
        ]);
        expect(both.map(({ code }) => code)).toEqual([0, 0]);
        const rows = result(folder);
        for (const column of ["topic", "level", "because", "kind", "grade"])
          expect(rows.filter((row) => (row[column] ?? "") !== "")).toHaveLength(40);
      }
    } finally {
      await server.close();
    }
  });

  it.runIf(PYTHON)("on two sheets, and two defined tables of one sheet, leave each other's alone", async () => {
    const folder = smallProject("id,note\n");
    python(
      `
import sys, openpyxl
from openpyxl.worksheet.table import Table
b=openpyxl.Workbook()
for name in ("North","South"):
    s=b.create_sheet(name); s.append(["id","note"])
    for i in range(7): s.append([f"{name[0]}{i}",f"smoke in hall {i} of {name}"])
del b["Sheet"]
s=b.create_sheet("Both")
for top,name in ((1,"First"),(12,"Second")):
    s.cell(top,1,"id"); s.cell(top,2,"note")
    for i in range(4): s.cell(top+1+i,1,f"{name}{i}"); s.cell(top+1+i,2,f"oil leak {i} {name}")
    s.add_table(Table(displayName=name,ref=f"A{top}:B{top+4}"))
b.save(sys.argv[1])`,
      path.join(folder, "book.xlsx"),
    );
    const plan = readFileSync(path.join(folder, "plans/log.yaml"), "utf8");
    const places: Record<string, string> = { north: "sheet: North", south: "sheet: South", first: "table: First", second: "table: Second" };
    for (const [name, place] of Object.entries(places))
      put(
        folder,
        `plans/${name}.yaml`,
        plan
          .replace("name: log", `name: ${name}`)
          .replace("{ file: log.csv, key: id }", `{ file: book.xlsx, ${place}, key: id }`)
          .replace("topic: topic, level: level, because: why", name === "south" ? "about: topic" : "topic: topic"),
      );
    for (const name of [...Object.keys(places), ...Object.keys(places)])
      expect(await run(["fill", name, "--json"], folder)).toMatchObject({ code: 0 });
    const seen = JSON.parse(
      python(
        "import sys,json,openpyxl\nb=openpyxl.load_workbook(sys.argv[1])\nprint(json.dumps({s.title:[[c for c in r] for r in s.iter_rows(values_only=True)] for s in b.worksheets}))",
        path.join(folder, "book.filled.xlsx"),
      ),
    ) as Record<string, (string | null)[][]>;
    expect(seen["North"]![0]).toEqual(["id", "note", "topic"]);
    expect(seen["South"]![0]).toEqual(["id", "note", "about"]);
    for (const sheet of ["North", "South"]) expect(seen[sheet]!.slice(1).filter((row) => row[2])).toHaveLength(7);
    expect(seen["Both"]!.filter((row) => row[0] && row[2])).toHaveLength(10);
    for (const name of Object.keys(places))
      expect((await run(["fill", name], folder)).out).toContain("book.filled.xlsx stands as it should");
    expect(existsSync(path.join(folder, "book.filled.xlsx.backup"))).toBe(false);
  });
});

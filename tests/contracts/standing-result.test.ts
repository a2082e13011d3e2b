import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, describe, expect, it } from "vitest";
import { csvTable } from "../../src/adapters/csv/index.js";
import { jsonlTable } from "../../src/adapters/jsonl/index.js";
import { xlsxTable } from "../../src/adapters/xlsx/index.js";
import type { CellOut, Table } from "../../src/core/index.js";
import { python, PYTHON, resave, SOFFICE } from "../helpers/other-programs.js";

const root = mkdtempSync(path.join(tmpdir(), "yoroshi-standing-"));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let folders = 0;
const folder = (): string => mkdtempSync(path.join(root, `${++folders}-`));

type Cells = Record<string, string>;
const LEVEL = [{ name: "level", type: "integer", freeText: false }] as const;
const levels = async (keys: readonly string[]): Promise<(Record<string, CellOut> | undefined)[]> =>
  keys.map((key) => (/^[a-z]$/.test(key) ? { level: key.charCodeAt(0) } : undefined));

/** A kind of file: how another program writes rows, and reads them with their columns. */
interface Kind {
  readonly ending: string;
  table(file: string, onNotice: (text: string) => void): Table;
  write(file: string, rows: readonly Cells[]): void;
  read(file: string): Cells[];
}
const csv = (rows: readonly Cells[]): string => {
  const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))];
  return `${[columns, ...rows.map((row) => columns.map((column) => row[column] ?? ""))].map((cells) => cells.join(";")).join("\r\n")}\r\n`;
};
const KINDS: Record<string, Kind> = {
  csv: {
    ending: "csv",
    table: (file, onNotice) => csvTable({ file, name: path.basename(file), key: "id", onNotice, closingMs: 0 }),
    write: (file, rows) => writeFileSync(file, csv(rows)),
    read: (file) => {
      const [header = "", ...lines] = readFileSync(file, "utf8").trimEnd().split("\r\n");
      return lines.map((line) => Object.fromEntries(header.split(";").map((column, index) => [column, line.split(";")[index] ?? ""])));
    },
  },
  "json lines": {
    ending: "jsonl",
    table: (file, onNotice) => jsonlTable({ file, name: path.basename(file), key: "id", onNotice, closingMs: 0 }),
    write: (file, rows) => writeFileSync(file, rows.map((row) => `${JSON.stringify(row)}\n`).join("")),
    read: (file) =>
      readFileSync(file, "utf8")
        .trimEnd()
        .split("\n")
        .map((line) =>
          Object.fromEntries(Object.entries(JSON.parse(line) as Record<string, unknown>).map(([name, value]) => [name, String(value)])),
        ),
  },
  ...(PYTHON
    ? ({
        "a workbook of openpyxl": {
          ending: "xlsx",
          table: (file, onNotice) => xlsxTable({ file, name: path.basename(file), key: "id", onNotice, closingMs: 0 }),
          write: (file, rows) =>
            void python(
              "import json,sys,openpyxl\nrows=json.loads(sys.argv[2])\nb=openpyxl.Workbook()\ns=b.active\ncols=list(dict.fromkeys(c for r in rows for c in r))\ns.append(cols)\nfor r in rows: s.append([r.get(c) or None for c in cols])\nb.save(sys.argv[1])",
              file,
              JSON.stringify(rows),
            ),
          read: (file) =>
            JSON.parse(
              python(
                "import json,sys,openpyxl\ns=openpyxl.load_workbook(sys.argv[1]).worksheets[0]\nrows=[[('' if c is None else str(c)) for c in r] for r in s.iter_rows(values_only=True)]\nprint(json.dumps([dict(zip(rows[0],r)) for r in rows[1:] if any(r)]))",
                file,
              ),
            ) as Cells[],
        },
      } satisfies Record<string, Kind>)
    : {}),
};

describe.each(Object.entries(KINDS))("a result that stands: %s", (_, kind) => {
  const begin = async (rows: readonly Cells[]) => {
    const home = folder();
    const source = path.join(home, `t.${kind.ending}`);
    const result = path.join(home, `t.filled.${kind.ending}`);
    const notices: string[] = [];
    kind.write(source, rows);
    const fill = async (touched = false): Promise<Cells[]> => {
      notices.splice(0);
      await kind.table(source, (text) => notices.push(text)).write(LEVEL, levels, { touched });
      return kind.read(result);
    };
    await fill();
    return { source, result, notices, fill };
  };
  const ROWS = [
    { id: "a", text: "one", more: "x" },
    { id: "b", text: "two", more: "y" },
    { id: "c", text: "three", more: "z" },
  ];

  it("keeps what a person did in it: a column, a cell of the source, the order of rows", async () => {
    const { result, fill } = await begin(ROWS);
    const [a, b, c] = kind.read(result);
    kind.write(result, [{ ...c!, own: "mine" }, { ...a!, text: "ONE" }, b!]);
    const now = await fill(true);
    expect(now.map((row) => [row["id"], row["text"], row["level"], row["own"] ?? ""])).toEqual([
      ["c", "three", "99", "mine"],
      ["a", "ONE", "97", ""],
      ["b", "two", "98", ""],
    ]);
  });

  it("takes over what is new or changed in the source, by key; new rows come last", async () => {
    const { source, result, fill, notices } = await begin(ROWS);
    const [a, b, c] = kind.read(result);
    kind.write(result, [c!, b!, { ...a!, text: "ONE" }]);
    kind.write(source, [
      { id: "d", text: "four", more: "w", late: "new" },
      { ...ROWS[0]!, more: "X", late: "1" },
      { ...ROWS[1]!, text: "TWO", late: "2" },
      { ...ROWS[2]!, late: "" },
    ]);
    const now = await fill(true);
    expect(now.map((row) => [row["id"], row["text"], row["more"], row["level"], row["late"] ?? ""])).toEqual([
      ["c", "three", "z", "99", ""],
      ["b", "TWO", "y", "98", "2"],
      ["a", "ONE", "X", "97", "1"],
      ["d", "four", "w", "100", "new"],
    ]);
    expect(notices).toContain(`t.filled.${kind.ending}: 1 row of t.${kind.ending} is new, and last: d.`);
    expect(await fill()).toEqual(now);
  });

  it("keeps the person's where both changed a cell, and tells", async () => {
    const { source, result, fill, notices } = await begin(ROWS);
    kind.write(
      result,
      kind.read(result).map((row) => (row["id"] === "b" ? { ...row, text: "mine" } : row)),
    );
    kind.write(
      source,
      ROWS.map((row) => (row.id === "b" ? { ...row, text: "theirs" } : row)),
    );
    expect((await fill(true)).find((row) => row["id"] === "b")).toMatchObject({ text: "mine" });
    expect(notices).toContain(
      `1 cell changed in t.filled.${kind.ending} and in t.${kind.ending}, too; what stands in t.filled.${kind.ending} stays: b (text).`,
    );
  });

  it("lets a row go that is gone from the source, unless a person wrote in it; what was there is kept beside", async () => {
    const { source, result, fill, notices } = await begin(ROWS);
    kind.write(
      result,
      kind.read(result).map((row) => ({ ...row, own: row["id"] === "b" ? "mine" : "" })),
    );
    const before = readFileSync(result);
    kind.write(source, [ROWS[0]!]);
    expect((await fill(true)).map((row) => row["id"])).toEqual(["a", "b"]);
    expect(notices).toContain(`t.filled.${kind.ending}: 1 row that t.${kind.ending} no longer has is left out: c.`);
    expect(notices).toContain(`t.filled.${kind.ending}: 1 row that t.${kind.ending} no longer has stays, since a person wrote in it: b.`);
    expect(readFileSync(`${result}.backup`).equals(before)).toBe(true);
  });

  it("leaves rows out that a person took out, and rows in that a person put in", async () => {
    const { source, result, fill, notices } = await begin(ROWS);
    const [a, , c] = kind.read(result);
    kind.write(result, [a!, c!, { id: "z", text: "mine", more: "", level: "" }]);
    kind.write(source, [...ROWS, { id: "d", text: "four", more: "" }]);
    expect((await fill(true)).map((row) => row["id"])).toEqual(["a", "c", "z", "d"]);
    expect(notices).toContain(`t.filled.${kind.ending}: 1 row of t.${kind.ending} was taken out of it by hand, and stays out: b.`);
  });

  it("does not guess which of two rows with one key is which, once they were moved", async () => {
    const { source, result, fill } = await begin([
      { id: "a", text: "first" },
      { id: "a", text: "second" },
      { id: "b", text: "x" },
    ]);
    expect(kind.read(result).map((row) => row["level"] ?? "")).toEqual(
      ["97", "", "98"].map((level) => expect.stringMatching(level === "" ? /^$/ : level)),
    );
    const [first, second, b] = kind.read(result);
    kind.write(result, [second!, first!, b!]);
    expect((await fill(true)).map((row) => [row["text"], row["level"] ?? ""])).toEqual([
      ["second", ""],
      ["first", "97"],
      ["x", "98"],
    ]);
    const table = kind.table(source, () => undefined);
    const standing: string[] = [];
    for await (const rows of table.standing(["level"])) standing.push(...rows.map((row) => row.key));
    expect(standing).not.toContain("a");
  });

  it("waits while a spreadsheet program has it open, and then says so", async () => {
    const { source, result, fill } = await begin(ROWS);
    const lock = path.join(path.dirname(result), `.~lock.${path.basename(result)}#`);
    writeFileSync(lock, ",somebody,host,;");
    const notices: string[] = [];
    await kind.table(source, (text) => notices.push(text)).checkWritable!(LEVEL);
    expect(notices).toEqual([
      `t.filled.${kind.ending} is open in a spreadsheet program (.~lock.t.filled.${kind.ending}#). Close it there before it is written.`,
    ]);
    await expect(fill()).rejects.toThrow(
      `t.filled.${kind.ending} cannot be written: it is open in a spreadsheet program. Close it there; if none has it open, delete .~lock.t.filled.${kind.ending}# beside it.`,
    );
    rmSync(lock);
    expect(await fill()).toHaveLength(3);
  });

  it("says what is to be done when the key's column was taken out of it", async () => {
    const { source, result, fill } = await begin(ROWS);
    kind.write(
      result,
      kind.read(result).map(({ id: _id, ...row }) => row),
    );
    await expect(kind.table(source, () => undefined).checkWritable!(LEVEL)).rejects.toThrow("there is no column `id` for the key any more");
    await expect(fill(true)).rejects.toThrow("Put it back, or move the file away: then it is made anew from the source.");
  });
});

describe.runIf(PYTHON)("a filled workbook that openpyxl changed", () => {
  const home = folder();
  const source = path.join(home, "b.xlsx");
  const result = path.join(home, "b.filled.xlsx");
  const make = `
import sys, openpyxl, datetime
from openpyxl.worksheet.table import Table
b=openpyxl.Workbook(); s=b.active; s.title="Log"
s.append(["id","text","day","cost","double"])
for i,k in enumerate(sys.argv[2]): s.append([k,f"note {k}",datetime.date(2026,3,1+i),1.5*i,f"=D{i+2}*2"])
for r in range(2,s.max_row+1): s.cell(r,3).number_format="dd/mm/yyyy"
t=Table(displayName="Notes",ref=f"A1:E{s.max_row}"); s.add_table(t)
b.save(sys.argv[1])`;

  it("keeps comment, colour, width, filter and added column; new rows have days and numbers, and the table reaches over them", async () => {
    python(make, source, "abc");
    const table = (): Table => xlsxTable({ file: source, name: "b.xlsx", key: "id" });
    await table().write(LEVEL, levels);
    python(
      `
import sys, openpyxl
from openpyxl.comments import Comment
from openpyxl.styles import PatternFill
b=openpyxl.load_workbook(sys.argv[1]); s=b["Log"]
s["B2"].comment=Comment("look here","me"); s["B3"].fill=PatternFill("solid",fgColor="FFFF00"); s.column_dimensions["B"].width=55
s["H1"]="beside"; s["H2"]="mine"; s.row_dimensions[3].hidden=True
b.save(sys.argv[1])`,
      result,
    );
    python(make, source, "abcde");
    await table().write(LEVEL, levels, { touched: true });
    const seen = JSON.parse(
      python(
        `
import sys, json, openpyxl
b=openpyxl.load_workbook(sys.argv[1]); s=b["Log"]
print(json.dumps(dict(comment=s["B2"].comment.text, fill=s["B3"].fill.fgColor.rgb, width=s.column_dimensions["B"].width, own=s["H2"].value, hidden=s.row_dimensions[3].hidden, ref=s.tables["Notes"].ref,
 last=[str(c.value) for c in s[6]], day=s["C6"].number_format, kind=type(s["D6"].value).__name__, dim=s.dimensions)))`,
        result,
      ),
    ) as Record<string, unknown>;
    expect(seen).toMatchObject({
      comment: "look here",
      fill: "00FFFF00",
      width: 55,
      own: "mine",
      hidden: true,
      ref: "A1:F6",
      day: "dd/mm/yyyy",
      kind: "int",
    });
    expect((seen["last"] as string[]).slice(0, 4)).toEqual(["e", "note e", "2026-03-05 00:00:00", "6"]);
    expect((seen["last"] as string[])[5]).toBe("101");
  });

  it("has no room where totals stand below its table, says so, and changes nothing", async () => {
    const own = path.join(folder(), "b.xlsx");
    python(make, own, "ab");
    const table = (): Table => xlsxTable({ file: own, name: "b.xlsx", key: "id" });
    await table().write(LEVEL, levels);
    const filled = own.replace(".xlsx", ".filled.xlsx");
    python("import sys,openpyxl\nb=openpyxl.load_workbook(sys.argv[1]); s=b['Log']; s['B4']='Total'; b.save(sys.argv[1])", filled);
    const before = readFileSync(filled);
    python(make, own, "abc");
    await expect(table().write(LEVEL, levels, { touched: true })).rejects.toThrow(
      /the table Notes has no room for 1 new rows below it. Insert 1 empty rows there/,
    );
    expect(readFileSync(filled).equals(before)).toBe(true);
  });

  it.runIf(SOFFICE)(
    "saved by LibreOffice is edited on, and LibreOffice reads it again",
    async () => {
      const own = path.join(folder(), "b.xlsx");
      python(make, own, "abc");
      const table = (): Table => xlsxTable({ file: own, name: "b.xlsx", key: "id" });
      await table().write(LEVEL, levels);
      const filled = own.replace(".xlsx", ".filled.xlsx");
      const out = folder();
      resave(filled, "xlsx", out);
      copyFileSync(path.join(out, "b.filled.xlsx"), filled);
      python(make, own, "bcd");
      const notices: string[] = [];
      await xlsxTable({ file: own, name: "b.xlsx", key: "id", onNotice: (text) => notices.push(text) }).write(LEVEL, levels, {
        touched: true,
      });
      const read = folder();
      resave(filled, "csv", read);
      const lines = readFileSync(path.join(read, "b.filled.csv"), "utf8").trim().split("\n");
      expect(lines[0]).toBe("id,text,day,cost,double,level");
      expect(
        lines
          .filter((line) => !/^,*$/.test(line))
          .slice(1)
          .map((line) => [line.split(",")[0], line.split(",").at(-1)]),
      ).toEqual([
        ["b", "98"],
        ["c", "99"],
        ["d", "100"],
      ]);
      expect(existsSync(`${filled}.backup`)).toBe(true);
      expect(notices.some((text) => text.includes("1 row that b.xlsx no longer has is left out: a."))).toBe(true);
    },
    750_000,
  );
});

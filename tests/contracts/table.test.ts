import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { csvTable } from "../../src/adapters/csv/index.js";
import { jsonlTable } from "../../src/adapters/jsonl/index.js";
import { odsTable } from "../../src/adapters/ods/index.js";
import { openDatabase, sqlTable } from "../../src/adapters/sql/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { xlsxTable } from "../../src/adapters/xlsx/index.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";
import { document, workbook } from "../helpers/workbook.js";
import { CONTRACT_ROWS, tableContract } from "../../src/contracts/index.js";
import { memoryTable, type CellOut, type Row, type Table } from "../../src/core/index.js";

const root = mkdtempSync(path.join(tmpdir(), "yoroshi-table-"));
const bases: { sqlite?: TestDatabase; postgres?: TestDatabase; mariadb?: TestDatabase | undefined } = {};
const closing: (() => Promise<void>)[] = [];
beforeAll(async () => {
  bases.sqlite = sqliteDatabase();
  bases.postgres = await postgresDatabase();
  bases.mariadb = await mariadbDatabase();
});
afterAll(async () => {
  for (const close of closing) await close();
  for (const base of Object.values(bases)) await base?.close();
  rmSync(root, { recursive: true, force: true });
});
let folders = 0;
const freshFile = (content: string | Buffer, name = "t.csv"): string => {
  const file = path.join(mkdtempSync(path.join(root, `${++folders}-`)), name);
  writeFileSync(file, content);
  return file;
};

const ROWS = CONTRACT_ROWS;
const CASES = tableContract(() => memoryTable(ROWS, { key: "id" })).map(({ name }) => name);
const quoted = (cell: string): string => `"${cell.replaceAll('"', '""')}"`;
const asCsv = (rows: readonly Record<string, string>[], newline = "\n"): string =>
  [["id", "text", "old"], ...rows.map((row) => [row["id"]!, row["text"]!, row["old"]!])]
    .map((cells) => cells.map(quoted).join(","))
    .join(newline) + newline;

const readAll = async (table: Table): Promise<Row[]> => {
  const rows: Row[] = [];
  let share = 0;
  for await (const chunk of table.read()) {
    rows.push(...chunk.rows);
    expect(chunk.share).toBeGreaterThanOrEqual(share);
    share = chunk.share;
  }
  return rows;
};
const standing = async (table: Table, columns: string[]) => {
  const found: Record<string, Record<string, string>> = {};
  for await (const rows of table.standing(columns)) for (const { key, values } of rows) found[key] = { ...values };
  return found;
};
const cells = (all: Record<string, Record<string, CellOut>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);

/** The same rows in a table of a real database; `undefined` where there is no such server. */
const inDatabase = async (base: TestDatabase | undefined): Promise<Table | undefined> => {
  if (!base) return undefined;
  const table = `rows_${++folders}`;
  await base.run(`CREATE TABLE ${table} (id VARCHAR(20) PRIMARY KEY, text VARCHAR(200), old VARCHAR(200))`);
  for (const row of ROWS) await base.run(`INSERT INTO ${table} VALUES ('${row.id}', '${row.text.replaceAll("'", "''")}', '${row.old}')`);
  const database = await openDatabase({ name: "main", ...base.place, clock: systemClock() });
  closing.push(() => database.close());
  return sqlTable(database, { table, key: "id" });
};
/** The same rows as an OpenDocument spreadsheet. */
const asDocument = (): Buffer => document([["id", "text", "old"], ...ROWS.map((row) => [row.id, row.text, row.old])]);
const asSheet = (): Buffer => workbook([["id", "text", "old"], ...ROWS.map((row) => [row.id, row.text, row.old])]);

describe.each<[string, () => Table | Promise<Table | undefined>]>([
  ["memory", () => memoryTable(ROWS, { key: "id" })],
  ["csv", () => csvTable({ file: freshFile(asCsv(ROWS)), key: "id" })],
  ["json lines", () => jsonlTable({ file: freshFile(ROWS.map((row) => `${JSON.stringify(row)}\n`).join(""), "t.jsonl"), key: "id" })],
  [
    "json lines in place",
    () => jsonlTable({ file: freshFile(ROWS.map((row) => `${JSON.stringify(row)}\n`).join(""), "t.jsonl"), key: "id", inPlace: true }),
  ],
  ["workbook", () => xlsxTable({ file: freshFile(asSheet(), "t.xlsx"), key: "id" })],
  ["workbook in place", () => xlsxTable({ file: freshFile(asSheet(), "t.xlsx"), key: "id", inPlace: true })],
  ["OpenDocument", () => odsTable({ file: freshFile(asDocument(), "t.ods"), key: "id" })],
  ["OpenDocument in place", () => odsTable({ file: freshFile(asDocument(), "t.ods"), key: "id", inPlace: true })],
  ["sqlite", () => inDatabase(bases.sqlite)],
  ["postgres", () => inDatabase(bases.postgres)],
  ["mariadb", () => inDatabase(bases.mariadb)],
  ["csv in place", () => csvTable({ file: freshFile(asCsv(ROWS)), key: "id", inPlace: true })],
])("table contract: %s", (_, make) => {
  it.for(CASES)("%s", async (name, { skip }) => {
    const table = await make();
    if (!table) return skip();
    await tableContract(() => table)
      .find((one) => one.name === name)!
      .run();
  });
});

describe("a CSV file", () => {
  const filled = (file: string): string => file.replace(/\.csv$/, ".filled.csv");
  const table = (content: string | Buffer) => {
    const file = freshFile(content);
    return { file, table: csvTable({ file, name: "t.csv", key: "id" }) };
  };
  const write = async (content: string | Buffer): Promise<Buffer> => {
    const one = table(content);
    await one.table.write([{ name: "level", freeText: false }], cells({ a: { level: 1 }, b: { level: 2 } }));
    expect(readFileSync(one.file)).toEqual(Buffer.from(content));
    expect(readdirSync(path.dirname(one.file)).sort()).toEqual([".yoroshi", "t.csv", "t.filled.csv"]);
    return readFileSync(filled(one.file));
  };

  it("keeps its own separator, line ends, byte order mark and encoding", async () => {
    expect((await write("id;text\r\na;x, y\r\nb;z\r\n")).toString()).toBe("id;text;level\r\na;x, y;1\r\nb;z;2\r\n");
    expect((await write("\ufeffid\ttext\na\tx\n")).toString()).toBe("\ufeffid\ttext\tlevel\na\tx\t1\n");
    expect((await write("id,text\ra,x\rb,z\r")).toString()).toBe("id,text,level\ra,x,1\rb,z,2\r");
    expect((await write('id,text\na,x\r\nb,"z\r"\n')).toString()).toBe('id,text,level\na,x,1\r\nb,"z\r",2\n');
    const utf16 = Buffer.from("\ufeffid,text\na,żółć 😀\n", "utf16le");
    expect((await write(utf16)).toString("utf16le")).toBe("\ufeffid,text,level\na,żółć 😀,1\n");
    const big = Buffer.from("\ufeffid,text\na,ż\n", "utf16le").swap16();
    expect(
      Buffer.from(await write(big))
        .swap16()
        .toString("utf16le"),
    ).toBe("\ufeffid,text,level\na,ż,1\n");
  });

  it("names rows with doubled or missing keys and ragged rows as problems, and still keeps every cell", async () => {
    const one = table("id,text\na,x\n,y\na,z\nb,1,2,3\nc\n\nd,ok\n");
    expect((await readAll(one.table)).map(({ key, place, problem }) => [key, place, problem])).toEqual([
      ["a", "row 2", undefined],
      ["(row 3)", "row 3", "the row has no key"],
      ["a (row 4)", "row 4", "the key stands in row 2, too"],
      ["b", "row 5", "the row has 4 cells, the header has 2"],
      ["c", "row 6", "the row has 1 cells, the header has 2"],
      ["d", "row 8", undefined],
    ]);
    await one.table.write([{ name: "level", freeText: false }], cells({ a: { level: 1 }, d: { level: 9 } }));
    expect(readFileSync(filled(one.file), "utf8")).toBe("id,text,level\na,x,1\n,y,\na,z,\nb,1,,2,3\nc,,\n\nd,ok,9\n");
  });

  it.each([
    ["a quote that never closes", 'id,text\na,"x\nb,y\n', /t\.csv, row 2: a quoted cell is opened and never closed/],
    ["a quote in the middle", 'id,text\na,x"y\n', /line 2: a quote stands inside a cell that is not quoted/],
    ["text after a closing quote", 'id,text\na,"x"y\n', /line 2: a quote stands inside a quoted cell/],
    ["two columns of one name", "id,text,text\na,1,2\n", /t\.csv, row 1: two columns are named `text`/],
    ["an empty file", "", /t\.csv, row 1: the file is empty/],
    ["no key column", "no,text\n1,x\n", /there is no column `id` for the key. Columns: no, text/],
    [
      "broken UTF-8 behind a byte order mark",
      Buffer.from([0xef, 0xbb, 0xbf, ...Buffer.from("id,text\na,caf"), 0xe9, 0x0a]),
      /this is not UTF-8 text/,
    ],
  ])("tells of %s", async (_, content, message) => {
    await expect(readAll(table(content).table)).rejects.toThrow(message);
  });

  it("reads Windows-1252, says so, writes it back byte for byte, and goes over to UTF-8 rather than lose a character", async () => {
    // Every byte but those that mean something to CSV, far behind the first 64 kB, where a look at the head ends.
    const odd = Buffer.from(Array.from({ length: 256 }, (_, byte) => byte).filter((byte) => ![0x0a, 0x0d, 0x22, 0x2c].includes(byte)));
    const source = Buffer.concat([
      Buffer.from(`id,text\n${Array.from({ length: 9_000 }, (_, index) => `r${index},plain\n`).join("")}a,caf`),
      Buffer.from([0xe9]),
      Buffer.from("\nb,"),
      odd,
      Buffer.from("\n"),
    ]);
    const file = freshFile(source);
    const notices: string[] = [];
    const one = csvTable({ file, name: "t.csv", key: "id", onNotice: (text) => notices.push(text) });
    const rows = await readAll(one);
    expect(rows.find(({ key }) => key === "a")!.values["text"]).toBe("café");
    await readAll(one);
    expect(notices, "told once, however often it is read").toEqual(["t.csv is not UTF-8; it is read as Windows-1252."]);
    await one.write([], cells({}));
    expect(readFileSync(filled(file)).equals(source)).toBe(true);
    await one.write([{ name: "note", freeText: true }], cells({ a: { note: "naïve €" } }));
    expect(readFileSync(filled(file)).includes(Buffer.from([0xe9, 0x2c, 0x6e, 0x61, 0xef, 0x76, 0x65, 0x20, 0x80]))).toBe(true);
    await one.write([{ name: "note", freeText: true }], cells({ a: { note: "日本" } }));
    expect(readFileSync(filled(file), "utf8")).toMatch(/^\ufeffid,text,note\n.*a,café,日本\n/s);
    expect(notices.at(-1)).toMatch(/t\.filled\.csv is written as UTF-8: it has characters that Windows-1252/);
    expect((await standing(one, ["note"]))["a"]).toEqual({ note: "日本" });
  });

  it.each([
    ["emptied", ""],
    ["replaced", "other,columns\n1,2\n"],
  ])("a file that is %s once its header is read is no table without rows", async (_, then) => {
    const file = freshFile(Buffer.from("id,text\na,caf\xe9\n", "latin1"));
    // The notice of the encoding comes between the header and the rows.
    const one = csvTable({ file, name: "t.csv", key: "id", onNotice: () => writeFileSync(file, then) });
    await expect(readAll(one)).rejects.toThrow(/t\.csv, row 1: another program changed the file while it was read/);
  });

  it("tells of a file that is not there or may not be written", async () => {
    await expect(readAll(csvTable({ file: path.join(root, "none.csv"), name: "none.csv", key: "id" }))).rejects.toThrow(
      "none.csv cannot be read: there is no such file",
    );
    const one = table("id\na\n");
    rmSync(path.dirname(one.file), { recursive: true });
    await expect(one.table.columns()).rejects.toThrow("cannot be read");
  });

  it("clears away what a killed process left half-written", async () => {
    const one = table("id,text\na,x\n");
    const left = path.join(path.dirname(one.file), ".t.filled.csv.4194303.tmp");
    writeFileSync(left, "half");
    await one.table.write([{ name: "level", freeText: false }], cells({ a: { level: 1 } }));
    expect(existsSync(left)).toBe(false);
  });

  it("makes a backup before it writes into the file itself", async () => {
    const file = freshFile("id,text\na,x\n");
    await csvTable({ file, key: "id", inPlace: true }).write([{ name: "level", freeText: false }], cells({ a: { level: 1 } }));
    expect(readFileSync(file, "utf8")).toBe("id,text,level\na,x,1\n");
    expect(readFileSync(`${file}.backup`, "utf8")).toBe("id,text\na,x\n");
    expect(existsSync(filled(file))).toBe(false);
  });

  it("finds doubled keys among very many", async () => {
    const lines = Array.from({ length: 60_000 }, (_, index) => `key-${index},x`);
    lines.push("key-31,again");
    const problems = (await readAll(table(`id,text\n${lines.join("\n")}\n`).table)).filter((row) => row.problem);
    expect(problems.map((row) => row.problem)).toEqual(["the key stands in row 33, too"]);
  });
});

describe("a JSON Lines file", () => {
  it("keeps every byte that is not filled: long numbers, spacing, order, odd lines, line ends", async () => {
    const lines = [
      '\ufeff{ "id": "a", "big": 12345678901234567890, "price":1.50, "n":null }',
      "",
      '{"id":"b","text":"ein \\u00e9 \\n zwei","list":["x","y"],"deep":{"z":1}}',
      "not json",
      '{"text":"no key"}',
      '{"id":"a","text":"again"}',
      '{"id":1e2,"ok":true}',
    ];
    const file = freshFile(lines.join("\r\n"), "t.jsonl");
    const table = jsonlTable({ file, name: "t.jsonl", key: "id" });
    expect(await table.columns()).toEqual(["id", "big", "price", "n", "text", "list", "deep", "ok"]);
    const rows = await readAll(table);
    expect(rows.map(({ key, problem }) => [key, problem])).toEqual([
      ["a", undefined],
      ["b", undefined],
      ["(line 4)", "the line is not a JSON object"],
      ["(line 5)", "the row has no key"],
      ["a (line 6)", "the key stands in line 1, too"],
      ["100", undefined],
    ]);
    expect(rows[0]!.values).toMatchObject({ big: "12345678901234567890", n: "" });
    expect(rows[1]!.values).toMatchObject({ list: "x\ny", deep: '{"z":1}' });
    await table.write(
      [
        { name: "level", freeText: false },
        { name: "text", freeText: true },
      ],
      cells({ a: { level: 3 }, b: { text: "neu", level: true } }),
    );
    const out = readFileSync(path.join(path.dirname(file), "t.filled.jsonl"), "utf8").split("\r\n");
    expect(out[0]).toBe('\ufeff{ "id": "a", "big": 12345678901234567890, "price":1.50, "n":null,"level": 3 }');
    expect(out[2]).toBe('{"id":"b","text":"neu","list":["x","y"],"deep":{"z":1},"level": true}');
    expect([out[1], ...out.slice(3)]).toEqual([lines[1], ...lines.slice(3)]);
  });

  it("tells of what it cannot use", async () => {
    const at = (content: string | Buffer): Table => jsonlTable({ file: freshFile(content, "t.jsonl"), name: "t.jsonl", key: "id" });
    await expect(readAll(at(""))).rejects.toThrow("t.jsonl, line 1: the file has no line with a JSON object");
    await expect(readAll(at('{"no":1}\n'))).rejects.toThrow("no line has a member `id` for the key. Members: no.");
    await expect(readAll(at(Buffer.from([0x7b, 0xff, 0x7d])))).rejects.toThrow("this is not UTF-8 text");
    await expect(readAll(jsonlTable({ file: path.join(root, "none.jsonl"), name: "none.jsonl", key: "id" }))).rejects.toThrow(
      "none.jsonl cannot be read: there is no such file",
    );
  });
});

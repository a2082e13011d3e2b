import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { csvTable } from "../../src/adapters/csv/index.js";
import { jsonlTable } from "../../src/adapters/jsonl/index.js";
import { openDatabase, sqlTable } from "../../src/adapters/sql/index.js";
import { odsTable } from "../../src/adapters/ods/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { xlsxTable } from "../../src/adapters/xlsx/index.js";
import { memoryTable, type CellOut, type Growth, type StandingRow, type Table } from "../../src/core/index.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";

const root = mkdtempSync(path.join(tmpdir(), "yoroshi-growth-"));
const bases: Record<string, TestDatabase | undefined> = {};
const closing: (() => Promise<void>)[] = [];
beforeAll(async () => {
  bases["sqlite"] = sqliteDatabase();
  bases["postgres"] = await postgresDatabase();
  bases["mariadb"] = await mariadbDatabase();
});
afterAll(async () => {
  for (const close of closing) await close();
  for (const base of Object.values(bases)) await base?.close();
  rmSync(root, { recursive: true, force: true });
});
let number = 0;
const fresh = (ending: string): string => path.join(mkdtempSync(path.join(root, `${++number}-`)), `made.${ending}`);
async function inDatabase(name: string): Promise<Table | undefined> {
  const base = bases[name];
  if (!base) return undefined;
  const database = await openDatabase({ name: "main", ...base.place, clock: systemClock() });
  closing.push(() => database.close());
  return sqlTable(database, { table: `made_${++number}`, key: ["ship", "no"], grows: true });
}

const KEY = [
  { name: "ship", freeText: false },
  { name: "no", freeText: false },
];
const COLUMNS = [
  { name: "words", freeText: true },
  { name: "level", type: "integer", freeText: false },
] as const;
const row = (ship: string, no: string): StandingRow => ({ key: `${ship}|${no}`, values: { ship, no } });
const growth = (rows: readonly StandingRow[], goes: readonly string[] = []): { growth: Growth } => ({
  growth: {
    goes: ({ key }) => goes.includes(key),
    async *added() {
      yield rows;
    },
  },
});
const cells = (all: Record<string, Record<string, CellOut>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);
const standing = async (table: Table): Promise<Record<string, unknown>> => {
  const found: Record<string, unknown> = {};
  for await (const rows of table.standing(["words", "level"]))
    for (const { key, values } of rows) found[key] = ["words", "level"].map((column) => values[column] ?? "");
  return found;
};

describe.each<[string, () => Promise<Table | undefined>]>([
  ["memory", async () => memoryTable([], { key: ["ship", "no"] })],
  ["csv", async () => csvTable({ file: fresh("csv"), key: ["ship", "no"], grows: true })],
  ["json lines", async () => jsonlTable({ file: fresh("jsonl"), key: ["ship", "no"], grows: true })],
  ["workbook", async () => xlsxTable({ file: fresh("xlsx"), key: ["ship", "no"], grows: true })],
  ["OpenDocument", async () => odsTable({ file: fresh("ods"), key: ["ship", "no"], grows: true })],
  ["sqlite", () => inDatabase("sqlite")],
  ["postgres", () => inDatabase("postgres")],
  ["mariadb", () => inDatabase("mariadb")],
])("a growing table: %s", (_, make) => {
  it("begins where there is none; its rows come, change and go by their key", async (context) => {
    const table = await make();
    if (!table) return context.skip();
    expect(await standing(table)).toEqual({});
    await table.checkWritable?.(COLUMNS);
    const statements = await table.missingColumns?.([...KEY, ...COLUMNS]);
    if (statements) expect(statements.join()).toMatch(/^create table .*primary key/i);
    await table.createColumns?.([...KEY, ...COLUMNS]);
    const odd = "two\nlines, \"quoted\" and 'single'";
    await table.write(
      COLUMNS,
      cells({ "Kea|1": { words: odd, level: 3 }, "Kea|2": { words: "=1+1" } }),
      growth([row("Kea", "1"), row("Kea", "2"), row("Tui 日本", "1")]),
    );
    expect(await standing(table)).toEqual({
      "Kea|1": [odd, "3"],
      "Kea|2": [table.asWritten(COLUMNS[0], "=1+1"), ""],
      "Tui 日本|1": ["", ""],
    });
    const mark = await table.write(
      COLUMNS,
      cells({ "Kea|1": { level: 4 }, "Tui 日本|1": { words: "now" } }),
      growth([row("Kea", "3")], ["Kea|2"]),
    );
    expect(mark).toBe(await table.standingMark());
    expect(await standing(table)).toEqual({ "Kea|1": [odd, "4"], "Tui 日本|1": ["now", ""], "Kea|3": ["", ""] });
  });

  it("takes many rows", async (context) => {
    const table = await make();
    if (!table) return context.skip();
    await table.createColumns?.([...KEY, ...COLUMNS]);
    const many = Array.from({ length: 1_234 }, (__, index) => row("Kea", String(index).padStart(5, "0")));
    await table.write(COLUMNS, async (keys) => keys.map((key) => ({ words: `about ${key}`, level: 1 })), growth(many));
    const found = await standing(table);
    expect(Object.keys(found)).toHaveLength(1_234);
    expect(found["Kea|01233"]).toEqual(["about Kea|01233", "1"]);
    await table.write(
      COLUMNS,
      cells({}),
      growth(
        [],
        many.slice(10).map(({ key }) => key),
      ),
    );
    expect(Object.keys(await standing(table))).toHaveLength(10);
  });
});

describe("growing files", () => {
  it("keep a person's rows, columns and the file's own style", async () => {
    const file = fresh("csv");
    writeFileSync(file, "ship;no;done;level\r\nKea;1;yes;2\r\nmine;1;;\r\n");
    const table = csvTable({ file, key: ["ship", "no"], grows: true });
    await table.write(COLUMNS, cells({ "Kea|1": { level: 5 }, "Kea|2": { words: "a;b" } }), growth([row("Kea", "2")]));
    expect(readFileSync(file, "utf8")).toBe('ship;no;done;level;words\r\nKea;1;yes;5;\r\nmine;1;;;\r\nKea;2;;;"a;b"\r\n');
    const lines = fresh("jsonl");
    writeFileSync(lines, '{"ship":"Kea","no":1,"big":12345678901234567890}');
    await jsonlTable({ file: lines, key: ["ship", "no"], grows: true }).write(
      COLUMNS,
      cells({ "Kea|2": { level: 1 } }),
      growth([row("Kea", "2")]),
    );
    expect(readFileSync(lines, "utf8")).toBe('{"ship":"Kea","no":1,"big":12345678901234567890}\n{"ship":"Kea","no":"2","level": 1}\n');
  });
});

it("a row that a database refuses is left out by itself", async () => {
  const base = bases["sqlite"]!;
  const name = `strict_${++number}`;
  await base.run(`CREATE TABLE ${name} (ship TEXT, no TEXT, words TEXT, level INTEGER CHECK (level < 9), PRIMARY KEY (ship, no))`);
  const database = await openDatabase({ name: "main", ...base.place, clock: systemClock() });
  closing.push(() => database.close());
  const table = sqlTable(database, { table: name, key: ["ship", "no"], grows: true });
  await expect(
    table.write(
      COLUMNS,
      cells({ "Kea|1": { level: 1 }, "Kea|2": { level: 10 }, "Kea|3": { level: 3 } }),
      growth([row("Kea", "1"), row("Kea", "2"), row("Kea", "3")]),
    ),
  ).rejects.toThrow("Kea|2");
  expect(await standing(table)).toEqual({ "Kea|1": ["", "1"], "Kea|3": ["", "3"] });
});

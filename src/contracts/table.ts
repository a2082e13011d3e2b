import type { CellOut, Row, Table, TargetColumn } from "../core/index.js";
import { expectRejection, expectSame, expectThat, type ContractCase } from "./check.js";

const TEXTS = ["plain", 'with "quotes"', "a, b; c", "two\nlines", "  spaces  ", "日本 😀", "=1+1", ""];

/** The rows of the table that a contract is held against: `id` is the key. */
export const CONTRACT_ROWS: readonly { readonly id: string; readonly text: string; readonly old: string }[] = TEXTS.map((text, index) => ({
  id: `k${index}`,
  text,
  old: "stays",
}));

const NOTE: TargetColumn = { name: "note", freeText: true };
const LEVEL: TargetColumn = { name: "level", type: "integer", freeText: false };
const COLUMNS: readonly TargetColumn[] = [NOTE, LEVEL, { name: "old", freeText: false }];

async function readAll(table: Table): Promise<Row[]> {
  const rows: Row[] = [];
  let share = 0;
  for await (const chunk of table.read()) {
    rows.push(...chunk.rows);
    expectThat("the share that has been read never falls", chunk.share >= share);
    share = chunk.share;
  }
  return rows;
}

async function standingOf(table: Table): Promise<Record<string, Readonly<Record<string, string>>>> {
  const found: Record<string, Readonly<Record<string, string>>> = {};
  for await (const rows of table.standing(COLUMNS.map(({ name }) => name))) for (const { key, values } of rows) found[key] = values;
  return found;
}

const cellsOf = (all: Readonly<Record<string, Record<string, CellOut>>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);

const CASES: Readonly<Record<string, (table: Table) => Promise<void>>> = {
  async "gives its columns and rows as they are"(table) {
    expectSame("columns", await table.columns(), ["id", "text", "old"]);
    const rows = await readAll(table);
    expectSame(
      "rows",
      rows.map(({ key, values }) => [key, values["text"]]),
      CONTRACT_ROWS.map(({ id, text }) => [id, text]),
    );
    expectThat(
      "no row has a problem",
      rows.every(({ problem }) => problem === undefined),
    );
  },

  async "writes only the named columns, keeps everything else, and keeps formulas from running"(table) {
    await table.createColumns?.(COLUMNS);
    const given = { k0: { note: "=HYPERLINK()", level: -3 }, k3: { note: "fine", old: "new" }, k5: { note: { asIs: "+1 from a person" } } };
    const mark = await table.write(COLUMNS, cellsOf(given));
    expectSame("the mark of what stands", mark, await table.standingMark());
    const now = await standingOf(table);
    expectSame("a formula and a number", now["k0"], { note: table.asWritten(NOTE, "=HYPERLINK()"), level: "-3", old: "stays" });
    expectSame("a number as it is written", table.asWritten(LEVEL, -3), "-3");
    expectSame("text", [now["k3"]?.["note"], now["k3"]?.["old"]], ["fine", "new"]);
    expectSame("a person's own text", now["k5"]?.["note"], "+1 from a person");
    expectSame("a column of a row that got nothing", now["k1"]?.["old"], "stays");
    expectSame(
      "other columns",
      (await readAll(table)).map(({ values }) => values["text"]),
      TEXTS,
    );
    expectSame("the mark after the same writing", await table.write(COLUMNS, cellsOf(given)), mark);
  },

  async "gives and writes the rows of some keys alone, where it can find them"(table) {
    const some = await table.rowsOnly?.(["k3", "k1", "nobody"]);
    if (!some) return;
    await table.createColumns?.(COLUMNS);
    expectSame("it says which", [...(some.onlyKeys ?? [])].sort(), ["k1", "k3", "nobody"]);
    expectSame("its rows", (await readAll(some)).map(({ key }) => key).sort(), ["k1", "k3"]);
    await some.write(COLUMNS, cellsOf({ k1: { note: "one", level: 1 }, k3: { note: "three" }, k5: { note: "not asked for" } }));
    expectSame("what stands there", Object.keys(await standingOf(some)).sort(), ["k1", "k3"]);
    const now = await standingOf(table);
    expectSame("what was written", [now["k1"]?.["note"], now["k1"]?.["level"], now["k3"]?.["note"]], ["one", "1", "three"]);
    expectSame("other rows", [now["k5"]?.["note"] ?? "", now["k5"]?.["old"]], ["", "stays"]);
    expectSame("all rows are still there", (await readAll(table)).length, CONTRACT_ROWS.length);
  },

  async "leaves its source alone when writing fails"(table) {
    await table.createColumns?.(COLUMNS);
    const before = await readAll(table);
    await expectRejection("a writing whose cells fail", () => table.write(COLUMNS, () => Promise.reject(new Error("gone"))));
    expectSame("rows", await readAll(table), before);
  },
};

/**
 * What every table must do, as cases for any test runner. Each case opens a table of its own.
 *
 * @param open gives a new table that holds `CONTRACT_ROWS`, with the key `id`.
 * @example
 * ```ts
 * import { memoryTable } from "yoroshi";
 * import { CONTRACT_ROWS, tableContract } from "yoroshi/contracts";
 *
 * for (const { name, run } of tableContract(() => memoryTable(CONTRACT_ROWS, { key: "id" }))) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function tableContract(open: () => Table | Promise<Table>): ContractCase[] {
  return Object.entries(CASES).map(([name, check]) => ({ name, run: async () => check(await open()) }));
}

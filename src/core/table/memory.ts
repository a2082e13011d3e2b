import { YoroshiError } from "../ground/index.js";
import { defang } from "./defang.js";
import { cellText, type CellGiven } from "./cell-text.js";
import { joinKey, keyColumnsOf, type KeyColumns } from "./key.js";
import type { Chunk, Row, Table } from "./table.js";

const CHUNK_ROWS = 500;

export interface MemoryTable extends Table {
  /** The rows as they stand, filled columns included. */
  readonly rows: Record<string, string>[];
}

/**
 * A table of plain objects: for the browser, tests and code that has its rows at hand. Filled in place.
 *
 * @param rows values that are no text are written as text: numbers, true and false, dates (as ISO 8601); null is a blank cell.
 * @throws YoroshiError `tableBroken` for a value that is none of these.
 * @example
 * ```ts
 * import { memoryTable } from "yoroshi";
 *
 * const table = memoryTable([{ id: 1, text: "Late again." }], { key: "id" });
 * await table.columns(); // => ["id", "text"]
 * table.rows; // => [{ id: "1", text: "Late again." }]
 * ```
 */
export function memoryTable(
  rows: readonly Readonly<Record<string, CellGiven>>[],
  { key, name = "table" }: { readonly key: KeyColumns; readonly name?: string },
): MemoryTable {
  const own = rows.map((row, index) => textOf(row, name, index));
  const keyColumns = keyColumnsOf(key);
  const keyOf = (values: Record<string, string>): string => joinKey(keyColumns.map((column) => values[column] ?? ""));
  let mark = 0;
  // What is filled is no change of the source.
  const filled = new Set<string>();
  const asRow = (values: Record<string, string>, index: number): Row => {
    const missing = keyColumns.find((column) => values[column] === undefined);
    if (missing !== undefined)
      throw new YoroshiError("tableBroken", { table: name, place: `row ${index + 1}`, problem: `it has no \`${missing}\`.` });
    return { key: keyOf(values), place: `row ${index + 1}`, values };
  };
  const table: MemoryTable = {
    name,
    target: name,
    keyColumns,
    rows: own,
    columns: async () => [...new Set(own.flatMap((row) => Object.keys(row)))],
    async *read(): AsyncIterable<Chunk> {
      for (let from = 0; from < own.length; from += CHUNK_ROWS) {
        const some = own.slice(from, from + CHUNK_ROWS);
        yield { rows: some.map((values, i) => asRow({ ...values }, from + i)), share: Math.min(1, (from + some.length) / own.length) };
      }
    },
    async *standing(columns) {
      yield own.map((row) => ({
        key: keyOf(row),
        values: Object.fromEntries(columns.flatMap((column) => (row[column] === undefined ? [] : [[column, row[column]]]))),
      }));
    },
    sourceMark: async () => JSON.stringify(own, (column, value: unknown) => (filled.has(column) ? undefined : value)),
    standingMark: async () => (mark === 0 ? undefined : JSON.stringify(own)),
    async write(columns, cellsOf, { growth } = {}) {
      const cells = await cellsOf(own.map(keyOf));
      for (const { name: column } of columns) filled.add(column);
      const put = (row: Record<string, string>, given: (typeof cells)[number]): void => {
        for (const column of columns) {
          const cell = given?.[column.name];
          if (cell !== undefined) row[column.name] = typeof cell === "object" ? cell.asIs : this.asWritten(column, cell);
          else row[column.name] ??= "";
        }
      };
      const kept = own.filter((row, index) => {
        if (growth?.goes({ key: keyOf(row), values: row }, cells[index])) return false;
        put(row, cells[index]);
        return true;
      });
      own.splice(0, own.length, ...kept);
      for await (const some of growth?.added() ?? []) {
        const given = await cellsOf(some.map((row) => row.key));
        some.forEach((row, index) => {
          own.push({ ...row.values });
          put(own.at(-1)!, given[index]);
        });
      }
      mark++;
      return JSON.stringify(own);
    },
    rowsOnly: async (keys) => {
      const onlyKeys = new Set(keys);
      return {
        ...table,
        onlyKeys,
        rowsOnly: async () => undefined,
        async *read() {
          for await (const { rows: some, share } of table.read()) yield { rows: some.filter((row) => onlyKeys.has(row.key)), share };
        },
        async *standing(columns) {
          for await (const some of table.standing(columns)) yield some.filter((row) => onlyKeys.has(row.key));
        },
        write: async (columns, cellsOf) =>
          table.write(columns, async (all) => {
            const some = all.filter((one) => onlyKeys.has(one));
            const cells = await cellsOf(some);
            return all.map((one) => (onlyKeys.has(one) ? cells[some.indexOf(one)] : undefined));
          }),
      };
    },
    asWritten: (column, value) => (column.freeText ? defang(String(value)) : String(value)),
  };
  return table;
}

function textOf(row: Readonly<Record<string, CellGiven>>, table: string, index: number): Record<string, string> {
  const own: Record<string, string> = {};
  for (const [column, value] of Object.entries(row)) {
    const text = cellText(value);
    if (typeof text === "object")
      throw new YoroshiError("tableBroken", { table, place: `row ${index + 1}`, problem: `\`${column}\` ${text.problem}.` });
    if (text !== undefined) own[column] = text;
  }
  return own;
}

import type { Work } from "../cells/index.js";
import { YoroshiError } from "../ground/index.js";
import type { Row, Table } from "../table/index.js";
import type { Tally } from "./tally.js";

/** So many rows are looked at before anything is asked. */
const LOOKED_AT = 2_000;
/** From this share of rows on whose key an earlier row has, it is no key. */
const MOST_REPEATED = 0.1;

/**
 * Looks at the first rows before anything is asked: a column whose values repeat in many of them is no key.
 *
 * @throws YoroshiError `keyRepeats`, naming the columns that could be one.
 */
export async function checkKeys({ table }: Pick<Work, "table">): Promise<void> {
  const rows = await firstRows(table);
  const doubled = rows.filter((row) => row.ownKey !== undefined).length;
  if (isTooMany(doubled, rows.length)) throw repeats(table, doubled, rows.length, rows);
}

/** The same of all rows, when they have been gone through: nothing has been written yet. */
export function refuseKeys(
  { table, only, where }: Work,
  { doubled, tallies }: { readonly doubled: number; readonly tallies: Readonly<Record<string, Tally>> },
): void {
  const rows = Math.max(0, ...Object.values(tallies).map((tally) => tally.rows));
  if (only === undefined && where === undefined && isTooMany(doubled, rows)) throw repeats(table, doubled, rows, []);
}

const isTooMany = (doubled: number, rows: number): boolean => doubled >= 2 && doubled > rows * MOST_REPEATED;

function repeats({ name, keyColumns }: Table, doubled: number, rows: number, seen: readonly Row[]): YoroshiError {
  return new YoroshiError("keyRepeats", {
    table: name,
    key: keyColumns,
    repeated: doubled,
    rows,
    candidates: keyCandidates(seen, keyColumns),
  });
}

async function firstRows(table: Table): Promise<Row[]> {
  const found: Row[] = [];
  for await (const { rows } of table.read()) {
    found.push(...rows);
    if (found.length >= LOOKED_AT) break;
  }
  return found;
}

/**
 * The columns that name each of these rows: those whose values differ and are never blank; where there are none, the pairs of
 * the key with another column that do.
 */
export function keyCandidates(rows: readonly Row[], key: readonly string[]): string[][] {
  const columns = Object.keys(rows[0]?.values ?? {}).filter((column) => column !== "");
  const isUnique = (names: readonly string[]): boolean => {
    const values = rows.map((row) => names.map((name) => (row.values[name] ?? "").trim()));
    return values.every((one) => !one.includes("")) && new Set(values.map((one) => JSON.stringify(one))).size === rows.length;
  };
  if (rows.length === 0) return [];
  const single = columns.filter((column) => isUnique([column])).map((column) => [column]);
  if (single.length > 0) return single;
  return columns
    .filter((column) => !key.includes(column))
    .map((column) => [...key, column])
    .filter(isUnique);
}

import { joinKey } from "../../core/index.js";
import { usableKey, type FileRow, type KeySet } from "../../files/index.js";
import type { Layout } from "./layout.js";
import type { RowPiece } from "./sheet-pieces.js";

/** A row of a sheet as a file's row. */
export function sheetRow(
  { columns }: Pick<Layout, "columns">,
  row: RowPiece,
  values: FileRow["values"],
  key: readonly string[],
  seen: KeySet,
): FileRow {
  let computed: Set<string> | undefined;
  for (const cell of row.cells)
    if (cell.formula !== undefined) for (const { name, column } of columns) if (column === cell.column) (computed ??= new Set()).add(name);
  return { ...rowKey(values, key, row.number, seen), place: `row ${row.number}`, values, ...(computed ? { computed } : {}) };
}

/** A row's key, and what keeps the row from being used. */
function rowKey(
  values: Readonly<Record<string, string>>,
  key: readonly string[],
  row: number,
  seen: KeySet,
): Pick<FileRow, "key" | "problem" | "unnamed" | "ownKey"> {
  return usableKey(joinKey(key.map((column) => values[column] ?? "")), row, "row", seen);
}

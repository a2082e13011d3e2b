import { joinKey } from "../../core/index.js";
import { usableKey, type FileRow, type KeySet } from "../../files/index.js";
import type { RowPiece } from "./content-pieces.js";
import { computedIn, type Layout } from "./layout.js";

/** A row of a sheet as a file's row. */
export function odsRow(
  layout: Pick<Layout, "columns">,
  row: RowPiece,
  number: number,
  values: FileRow["values"],
  key: readonly string[],
  seen: KeySet,
): FileRow {
  const own = usableKey(joinKey(key.map((column) => values[column] ?? "")), number, "row", seen);
  return { ...own, place: `row ${number}`, values, ...computedIn(layout, row) };
}

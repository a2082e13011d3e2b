import type { RowSource, Table } from "../../core/index.js";
import { fileHash, fileTable, type FileTableOptions } from "../../files/index.js";
import { openPackage, orUnreadable } from "../../files/parts/index.js";
import { dataRows, numbersOf, readLayout, rowValues, sheetsOf, topRows, type SheetChoice } from "./layout.js";
import { odsFormat, withLayout } from "./ods-format.js";

/** An OpenDocument spreadsheet as a table. */
export interface OdsTableOptions extends SheetChoice, FileTableOptions {}

/**
 * A sheet, or a named range, of an OpenDocument spreadsheet (`.ods`) as a table.
 *
 * @example
 * ```ts
 * import { odsTable } from "yoroshi/node";
 *
 * const table = odsTable({ file: "notes.ods", key: "id", sheet: "Notes" });
 * await table.columns(); // => ["id", "text"]
 * ```
 */
export function odsTable({ sheet, table, headerRow, ...options }: OdsTableOptions): Table {
  const { key, onNotice } = options;
  return fileTable(options, odsFormat({ sheet, table, headerRow, key, onNotice }), table === undefined ? sheet : `range ${table}`);
}

/**
 * All rows of a sheet in a stream.
 *
 * @example
 * ```ts
 * import { odsRows } from "yoroshi/node";
 *
 * for await (const rows of odsRows("notes.ods", "notes.ods").rows()) console.log(rows);
 * ```
 */
export function odsRows(file: string, name: string, choice: SheetChoice = {}): RowSource {
  return {
    name,
    columns: () => withLayout({ file, name }, choice, async (layout) => layout.columns.map((column) => column.name)),
    async *rows() {
      const parts = await openPackage(file, name);
      try {
        const layout = await readLayout(parts, choice);
        for await (const rows of dataRows(layout)) {
          yield rows.flatMap((row) => {
            const values = rowValues(layout, row);
            return values ? [...numbersOf(layout, row)].map(() => values) : [];
          });
        }
      } catch (error) {
        throw orUnreadable(name, error);
      } finally {
        await parts.close();
      }
    },
    mark: () => fileHash(file),
  };
}

/** The sheets of a document with their first rows. Throws `fileUnreadable`. */
export async function documentOverview(file: string, name: string) {
  const parts = await openPackage(file, name);
  try {
    const found = [];
    for (const sheet of await sheetsOf(parts)) {
      const top = (await topRows({ file: parts, sheet: sheet.name })).filter((row) => row.cells.some((cell) => cell !== ""));
      // A named range is taken where it is asked for; it says nothing about the rest of its sheet.
      found.push({ ...sheet, tables: [], top });
    }
    return found;
  } catch (error) {
    throw orUnreadable(name, error);
  } finally {
    await parts.close();
  }
}

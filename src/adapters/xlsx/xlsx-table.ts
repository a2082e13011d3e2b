import type { RowSource, Table } from "../../core/index.js";
import { fileHash, fileTable, type FileTableOptions } from "../../files/index.js";
import { openPackage, orUnreadable } from "../../files/parts/index.js";
import { dataRows, readLayout, rowValues, type SheetChoice } from "./layout.js";
import { withLayout, xlsxFormat } from "./xlsx-format.js";

export interface XlsxTableOptions extends SheetChoice, FileTableOptions {
  /** Whether a second sheet tells of every filled cell how it stands. */
  readonly showsStates?: boolean | undefined;
}

/**
 * A sheet, or a defined table, of a workbook (`.xlsx`, `.xlsm`) as a table.
 *
 * @example
 * ```ts
 * import { xlsxTable } from "yoroshi/node";
 *
 * const table = xlsxTable({ file: "notes.xlsx", key: "id", sheet: "Notes" });
 * await table.columns(); // => ["id", "text"]
 * ```
 */
export function xlsxTable({ sheet, table, headerRow, showsStates, ...options }: XlsxTableOptions): Table {
  const { key, onNotice } = options;
  return fileTable(
    options,
    xlsxFormat({ sheet, table, headerRow, showsStates, key, onNotice }),
    table === undefined ? sheet : `table ${table}`,
  );
}

/**
 * All rows of a sheet in a stream.
 *
 * @example
 * ```ts
 * import { xlsxRows } from "yoroshi/node";
 *
 * for await (const rows of xlsxRows("notes.xlsx", "notes.xlsx").rows()) console.log(rows);
 * ```
 */
export function xlsxRows(file: string, name: string, choice: SheetChoice = {}): RowSource {
  return {
    name,
    columns: () => withLayout({ file, name }, choice, async (layout) => layout.columns.map((column) => column.name)),
    async *rows() {
      const parts = await openPackage(file, name);
      try {
        const layout = await readLayout(parts, choice);
        for await (const rows of dataRows(layout)) yield rows.map((row) => rowValues(layout, row)).filter((values) => values !== undefined);
      } catch (error) {
        throw orUnreadable(name, error);
      } finally {
        await parts.close();
      }
    },
    mark: () => fileHash(file),
  };
}

import type { TopRow } from "../../core/index.js";
import { openPackage, orUnreadable } from "../../files/parts/index.js";
import { topRows } from "./layout.js";
import { readSharedStrings } from "./shared-strings.js";
import { dateStyles, definedTables, readWorkbook } from "./workbook.js";

/** A sheet as somebody sees it who looks for a table. */
export interface SheetOverview {
  readonly name: string;
  readonly visible: boolean;
  /** The names of its defined tables, each with the row of its header. */
  readonly tables: readonly { readonly name: string; readonly headerRow: number }[];
  /** Its first rows that have a value. */
  readonly top: readonly TopRow[];
}

/** The sheets of a workbook with their first rows. Throws `fileUnreadable`. */
export async function workbookOverview(file: string, name: string): Promise<SheetOverview[]> {
  const parts = await openPackage(file, name);
  try {
    const book = await readWorkbook(parts);
    const cells = {
      strings: await readSharedStrings(parts, book.sharedStrings),
      isDate: await dateStyles(parts, book),
      dates: book.dates,
    };
    const found: SheetOverview[] = [];
    for (const sheet of book.sheets) {
      const tables = await definedTables(parts, sheet);
      const top = (await topRows({ file: parts, sheet, cells })).filter((row) => row.cells.some((cell) => cell !== ""));
      found.push({
        name: sheet.name,
        visible: sheet.visible,
        tables: tables.map((one) => ({ name: one.name, headerRow: one.area.top })),
        top,
      });
    }
    return found;
  } catch (error) {
    throw orUnreadable(name, error);
  } finally {
    await parts.close();
  }
}

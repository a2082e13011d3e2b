import { headerAdvice, nearest, YoroshiError, type TopRow } from "../../core/index.js";
import { TOP_ROWS } from "../../files/index.js";
import type { PackageFile } from "../../files/parts/index.js";
import { type DateSystem, serialText, unescapeCell } from "./cell-text.js";
import { readSharedStrings, type SharedStrings } from "./shared-strings.js";
import { sheetPieces, type CellPiece, type RowPiece } from "./sheet-pieces.js";
import { dateStyles, definedTables, readWorkbook, type DefinedTable, type Sheet, type Workbook } from "./workbook.js";

/** Which part of a workbook is the table. */
export interface SheetChoice {
  /** The sheet by its name. Default: the first that is not hidden. */
  readonly sheet?: string | undefined;
  /** A defined table by its name, instead of a sheet. */
  readonly table?: string | undefined;
  /** Of a sheet: the row with the columns' names, from 1. Default: that of its only defined table, or the first row that is not blank. */
  readonly headerRow?: number | undefined;
}

/** Where a table stands in a sheet, and what is needed to read its cells. */
export interface Layout {
  readonly file: PackageFile;
  readonly book: Workbook;
  readonly sheet: Sheet;
  /** The defined table, where that is what is filled. */
  readonly table: DefinedTable | undefined;
  readonly headerRow: number;
  /** The last row of data, where it is known. */
  readonly lastRow: number;
  readonly columns: readonly { readonly name: string; readonly column: number }[];
  readonly cells: CellReader;
}

/** What reading a cell needs of its workbook. */
export interface CellReader {
  readonly strings: SharedStrings;
  readonly isDate: readonly boolean[];
  readonly dates: DateSystem;
}

/** @throws YoroshiError `tableBroken`, `notFound`. */
export async function readLayout(file: PackageFile, choice: SheetChoice): Promise<Layout> {
  const book = await readWorkbook(file);
  const { sheet, table } = await chosen(file, book, choice);
  const cells: CellReader = {
    strings: await readSharedStrings(file, book.sharedStrings),
    isDate: await dateStyles(file, book),
    dates: book.dates,
  };
  const headerRow = table?.area.top ?? choice.headerRow;
  const header = await findHeader(file, sheet, cells, headerRow);
  const within =
    table === undefined ? header.names : header.names.filter(({ column }) => column >= table.area.left && column <= table.area.right);
  const columns = within.filter(({ name }) => name !== "");
  const place = `row ${header.row}`;
  if (columns.length === 0)
    throw broken(
      file,
      sheet,
      place,
      headerRow === undefined ? "the sheet has no row with the columns' names." : "the row has no columns' names.",
    );
  const twice = columns.find(({ name }, index) => columns.findIndex((other) => other.name === name) !== index);
  if (twice)
    throw broken(
      file,
      sheet,
      place,
      `two columns are named \`${twice.name}\`. Give each its own name.${table ? "" : headerAdvice(await topRows({ file, sheet, cells }), { columns: columns.map(({ name }) => name) }, true)}`,
    );
  return { file, book, sheet, table, headerRow: header.row, lastRow: table ? table.area.bottom - table.totals : Infinity, columns, cells };
}

export const broken = (file: PackageFile, sheet: Sheet, place: string, problem: string): YoroshiError =>
  new YoroshiError("tableBroken", { table: `${file.name} (${sheet.name})`, place, problem });

async function chosen(
  file: PackageFile,
  book: Workbook,
  { sheet: wanted, table: wantedTable, headerRow }: SheetChoice,
): Promise<{ sheet: Sheet; table: DefinedTable | undefined }> {
  const names = book.sheets.map((sheet) => sheet.name);
  if (wantedTable !== undefined) {
    const all = (
      await Promise.all(book.sheets.map(async (sheet) => (await definedTables(file, sheet)).map((table) => ({ sheet, table }))))
    ).flat();
    const found = all.find(({ table }) => table.name.toLowerCase() === wantedTable.toLowerCase());
    const known = all.map(({ table }) => table.name);
    if (!found)
      throw new YoroshiError("notFound", {
        what: `defined table in ${file.name}`,
        name: wantedTable,
        known,
        near: nearest(wantedTable, known),
      });
    return found;
  }
  const sheet =
    wanted === undefined
      ? (book.sheets.find((one) => one.visible) ?? book.sheets[0])
      : book.sheets.find((one) => one.name.toLowerCase() === wanted.toLowerCase());
  if (!sheet)
    throw new YoroshiError("notFound", {
      what: `sheet in ${file.name}`,
      name: wanted ?? "",
      known: names,
      near: nearest(wanted ?? "", names),
    });
  const tables = headerRow === undefined ? await definedTables(file, sheet) : [];
  return { sheet, table: tables.length === 1 ? tables[0] : undefined };
}

async function findHeader(
  file: PackageFile,
  sheet: Sheet,
  cells: CellReader,
  wanted: number | undefined,
): Promise<{ row: number; names: { name: string; column: number }[] }> {
  for await (const pieces of sheetPieces(file, sheet.part)) {
    for (const piece of pieces) {
      if (!("row" in piece) || (wanted !== undefined && piece.row.number < wanted)) continue;
      const names = piece.row.cells.map((cell) => ({ name: cellText(cell, cells).replace(/\s+/g, " ").trim(), column: cell.column }));
      if (wanted !== undefined || names.some(({ name }) => name !== "")) return { row: piece.row.number, names };
    }
  }
  return { row: wanted ?? 1, names: [] };
}

/** The first rows of a sheet from its top, those without a value left out. */
export async function topRows({ file, sheet, cells }: Pick<Layout, "file" | "sheet" | "cells">): Promise<TopRow[]> {
  const rows: TopRow[] = [];
  for await (const pieces of sheetPieces(file, sheet.part)) {
    for (const piece of pieces) {
      if (!("row" in piece)) continue;
      if (piece.row.number > TOP_ROWS) return rows;
      rows.push({ row: piece.row.number, cells: piece.row.cells.map((cell) => cellText(cell, cells).replace(/\s+/g, " ").trim()) });
    }
  }
  return rows;
}

/** The rows of data in a stream. */
export async function* dataRows({ file, sheet, headerRow, lastRow }: Layout): AsyncGenerator<readonly RowPiece[]> {
  for await (const pieces of sheetPieces(file, sheet.part)) {
    yield pieces.flatMap((piece) => ("row" in piece && piece.row.number > headerRow && piece.row.number <= lastRow ? [piece.row] : []));
  }
}

/** A row's values by column; `undefined` for a row without any. */
export function rowValues(
  { columns, cells }: Pick<Layout, "columns" | "cells">,
  row: RowPiece,
  onUncalculated?: (column: string) => void,
): Record<string, string> | undefined {
  const values: Record<string, string> = {};
  let blank = true;
  let at = 0;
  for (const { name, column } of columns) {
    while (at < row.cells.length && row.cells[at]!.column < column) at++;
    const cell = row.cells[at];
    if (cell?.column !== column) {
      values[name] = "";
      continue;
    }
    const text = cellText(cell, cells);
    if (cell.formula !== undefined && isBlankNumber(cell)) onUncalculated?.(name);
    values[name] = text;
    if (text !== "") blank = false;
  }
  return blank ? undefined : values;
}

/** What stands in a row's cells with its type, for another sheet to take over. */
export function rowSources({ columns, cells }: Pick<Layout, "columns" | "cells">, row: RowPiece): Record<string, string> {
  const sources: Record<string, string> = {};
  for (const { name, column } of columns) {
    const cell = row.cells.find((one) => one.column === column);
    if (cell?.value === undefined || cell.value === "") continue;
    if (cell.type === "n") sources[name] = `${cells.isDate[cell.style] ? "day" : "number"} ${cell.value}`;
    else if (cell.type === "b") sources[name] = `yes ${cellText(cell, cells)}`;
  }
  return sources;
}

const isBlankNumber = (cell: CellPiece): boolean => cell.type === "n" && (cell.value === undefined || cell.value.trim() === "");

/** What stands in a cell, as text: a formula's calculated value, days and times as ISO 8601, numbers in their shortest form. */
export function cellText(cell: CellPiece, { strings, isDate, dates }: CellReader): string {
  const { value } = cell;
  if (value === undefined) return "";
  switch (cell.type) {
    case "s":
      return strings.at(Number(value)) ?? "";
    case "b":
      return value.trim() === "1" || value.trim() === "true" ? "true" : "false";
    case "n": {
      if (value.trim() === "") return "";
      const number = Number(value);
      return isDate[cell.style] ? serialText(number, dates) : String(number);
    }
    case "str":
    case "inlineStr":
      return unescapeCell(value);
    default:
      return value;
  }
}

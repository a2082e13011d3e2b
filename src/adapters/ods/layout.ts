import { headerAdvice, nearest, YoroshiError, type TopRow } from "../../core/index.js";
import { TOP_ROWS, type FileRow } from "../../files/index.js";
import { areaOf, attribute, type Area, type PackageFile, type Tag } from "../../files/parts/index.js";
import { cellSource, cellText, formulaOf, isUncalculated } from "./cell-value.js";
import { CONTENT, contentPieces, type CellPiece, type ContentPiece, type RowPiece, type Wanted } from "./content-pieces.js";
import type { Prefixes } from "./names.js";

/** Which part of a document is the table. */
export interface SheetChoice {
  /** The sheet by its name. Default: the first that is not hidden. */
  readonly sheet?: string | undefined;
  /** A named range with a header (Data, Define Range), instead of a sheet. */
  readonly table?: string | undefined;
  /** Of a sheet: the row with the columns' names, from 1. Default: the first row that is not blank. */
  readonly headerRow?: number | undefined;
}

/** A range that has a name of its own. */
export interface NamedRange {
  readonly name: string;
  readonly sheet: string;
  readonly area: Area;
}

/** Where a table stands in a document. */
export interface Layout {
  readonly file: PackageFile;
  readonly prefixes: Prefixes;
  readonly sheet: string;
  readonly range: NamedRange | undefined;
  readonly headerRow: number;
  /** The last row of data, where it is known. */
  readonly lastRow: number;
  readonly columns: readonly { readonly name: string; readonly column: number }[];
}

/** @throws YoroshiError `fileUnreadable`, `tableBroken`, `notFound`. */
export async function readLayout(file: PackageFile, choice: SheetChoice): Promise<Layout> {
  await requireReadable(file);
  const range = choice.table === undefined ? undefined : await namedRange(file, choice.table);
  const wanted = range?.sheet ?? choice.sheet;
  const found = await header(file, wanted, range?.area.top ?? choice.headerRow);
  if (!found.sheet) {
    const known = await sheetNames(file);
    if (known.length === 0) throw new YoroshiError("fileUnreadable", { file: file.name, problem: "it has no sheets" });
    throw new YoroshiError("notFound", {
      what: `sheet in ${file.name}`,
      name: wanted ?? "",
      known,
      near: nearest(wanted ?? "", known),
    });
  }
  const { sheet, row, prefixes } = found;
  const within = range ? found.names.filter(({ column }) => column >= range.area.left && column <= range.area.right) : found.names;
  const columns = within.filter(({ name }) => name !== "");
  const place = `row ${row}`;
  if (columns.length === 0)
    throw broken(
      file,
      sheet,
      place,
      range || choice.headerRow !== undefined ? "the row has no columns' names." : "the sheet has no row with the columns' names.",
    );
  const twice = columns.find(({ name }, index) => columns.findIndex((other) => other.name === name) !== index);
  if (twice)
    throw broken(
      file,
      sheet,
      place,
      `two columns are named \`${twice.name}\`. Give each its own name.${range ? "" : headerAdvice(await topRows({ file, sheet }), { columns: columns.map(({ name }) => name) }, true)}`,
    );
  return { file, prefixes, sheet, range, headerRow: row, lastRow: range?.area.bottom ?? Infinity, columns };
}

export const broken = (file: PackageFile, sheet: string, place: string, problem: string): YoroshiError =>
  new YoroshiError("tableBroken", { table: `${file.name} (${sheet})`, place, problem });

async function requireReadable(file: PackageFile): Promise<void> {
  const problem = (text: string): YoroshiError => new YoroshiError("fileUnreadable", { file: file.name, problem: text });
  const manifest = (await file.text("META-INF/manifest.xml")) ?? "";
  if (/[<:]encryption-data[\s/>]/.test(manifest)) throw problem("it is encrypted. Save it without a password");
  if (!file.has(CONTENT)) throw problem("it is not an OpenDocument spreadsheet");
}

/** Whether a sheet is hidden: its style says so. */
function isHidden(sheet: Tag, head: readonly Tag[]): boolean {
  const style = attribute(sheet, "style-name");
  const at = head.findIndex((tag) => tag.name === "style" && attribute(tag, "name") === style && attribute(tag, "family") === "table");
  if (style === undefined || at < 0) return false;
  for (const tag of head.slice(at + 1)) {
    if (tag.name === "style") return false;
    if (tag.name === "table-properties") return attribute(tag, "display") === "false";
  }
  return false;
}

const sameName = (one: string, other: string): boolean => one.toLowerCase() === other.toLowerCase();

/** The sheet of that name; without one the first that is not hidden. */
export function wantedSheet(name: string | undefined, onSheet: (name: string) => void = () => undefined): Wanted {
  let taken = false;
  return (sheet, _, head) => {
    const own = attribute(sheet, "name") ?? "";
    if (taken || (name === undefined ? isHidden(sheet, head) : !sameName(own, name))) return false;
    taken = true;
    onSheet(own);
    return true;
  };
}

async function header(
  file: PackageFile,
  wanted: string | undefined,
  wantedRow: number | undefined,
): Promise<{ sheet: string | undefined; prefixes: Prefixes; row: number; names: { name: string; column: number }[] }> {
  let sheet: string | undefined;
  let prefixes: Prefixes | undefined;
  const wants = wantedSheet(wanted, (name) => (sheet = name));
  for await (const pieces of contentPieces(file, wants, (found) => (prefixes = found))) {
    for (const piece of pieces) {
      if ("sheetEnd" in piece) return { sheet, prefixes: prefixes!, row: wantedRow ?? 1, names: [] };
      if (!("row" in piece) || (wantedRow !== undefined && piece.row.number + piece.row.repeated <= wantedRow)) continue;
      const names = [...cellsOf(piece.row)].map(({ cell, column }) => ({ name: headerText(cell), column }));
      if (wantedRow !== undefined || names.some(({ name }) => name !== ""))
        return { sheet, prefixes: prefixes!, row: wantedRow ?? piece.row.number, names };
    }
  }
  return { sheet, prefixes: prefixes!, row: wantedRow ?? 1, names: [] };
}

const headerText = (cell: CellPiece): string => cellText(cell).replace(/\s+/g, " ").trim();

/** More columns than a sheet may have are not looked at one by one. */
const MOST_COLUMNS = 16_384;

/** Cells that have something, each by itself. */
export function* cellsOf({ cells }: RowPiece): Generator<{ cell: CellPiece; column: number }> {
  for (const cell of cells) {
    if (cell.text === undefined && cellText(cell) === "" && formulaOf(cell) === undefined) continue;
    for (let at = 0; at < Math.min(cell.repeated, MOST_COLUMNS); at++) yield { cell, column: cell.column + at };
  }
}

export async function sheetNames(file: PackageFile): Promise<string[]> {
  const names: string[] = [];
  const wants: Wanted = (sheet) => (names.push(attribute(sheet, "name") ?? ""), false);
  for await (const _ of contentPieces(file, wants));
  return names;
}

/** The sheets with whether each is shown. */
export async function sheetsOf(file: PackageFile): Promise<{ name: string; visible: boolean }[]> {
  await requireReadable(file);
  const sheets: { name: string; visible: boolean }[] = [];
  const wants: Wanted = (sheet, _, head) => {
    sheets.push({ name: attribute(sheet, "name") ?? "", visible: !isHidden(sheet, head) });
    return false;
  };
  for await (const _ of contentPieces(file, wants));
  return sheets;
}

/** The ranges that a person gave a name, with a header. */
export async function namedRanges(file: PackageFile): Promise<NamedRange[]> {
  const ranges: NamedRange[] = [];
  for await (const pieces of contentPieces(file, () => false))
    for (const piece of pieces) if ("range" in piece) ranges.push(...rangeOf(piece.range));
  return ranges;
}

/** A range's tag as a range; none for those of a filter without a name, and those without a header. */
export function rangeOf(tag: Tag): NamedRange[] {
  const name = attribute(tag, "name") ?? "";
  const place = placeOf(attribute(tag, "target-range-address") ?? "");
  if (isAnonymous(name) || !place || attribute(tag, "contains-header") === "false") return [];
  return [{ name, ...place }];
}

/** Spreadsheet programs call the range of a plain filter so, or nothing at all. */
export const isAnonymous = (name: string): boolean => name === "" || name.startsWith("__Anonymous_Sheet_DB__");

/** `Log.A1:Log.F6`, `'My log'.A1:.F6`, `$Log.$A$1:$Log.$F$6`. */
export function placeOf(address: string): { readonly sheet: string; readonly area: Area } | undefined {
  const found = /^\$?(?:'((?:[^']|'')*)'|([^.']*))\.(\$?[A-Z]+\$?\d+)(?::(?:\$?(?:'(?:[^']|'')*'|[^.']*)\.)?(\$?[A-Z]+\$?\d+))?$/.exec(
    address,
  );
  if (!found) return undefined;
  const [, quoted, plain = "", from = "", to = from] = found;
  return { sheet: quoted?.replaceAll("''", "'") ?? plain, area: areaOf(`${from}:${to}`) };
}

async function namedRange(file: PackageFile, name: string): Promise<NamedRange> {
  const ranges = await namedRanges(file);
  const found = ranges.find((range) => sameName(range.name, name));
  if (found) return found;
  const known = ranges.map((range) => range.name);
  throw new YoroshiError("notFound", { what: `named range in ${file.name}`, name, known, near: nearest(name, known) });
}

/** The first rows of a sheet from its top, those without a value left out. */
export async function topRows({ file, sheet }: Pick<Layout, "file" | "sheet">): Promise<TopRow[]> {
  const rows: TopRow[] = [];
  for await (const pieces of contentPieces(file, wantedSheet(sheet))) {
    for (const piece of pieces) {
      if ("sheetEnd" in piece) return rows;
      if (!("row" in piece)) continue;
      const { number, repeated } = piece.row;
      if (number > TOP_ROWS) return rows;
      const cells: string[] = [];
      for (const { cell, column } of cellsOf(piece.row)) cells[column - 1] = headerText(cell);
      const own = Array.from(cells, (cell) => cell ?? "");
      for (let row = number; row < number + repeated && row <= TOP_ROWS; row++) rows.push({ row, cells: own });
    }
  }
  return rows;
}

/** The rows of data in a stream, those that are alike in one. */
export async function* dataRows(layout: Layout): AsyncGenerator<readonly RowPiece[]> {
  for await (const pieces of sheetContent(layout)) {
    const rows = pieces.flatMap((piece) => ("row" in piece && isData(layout, piece.row) ? [piece.row] : []));
    if (rows.length > 0) yield rows;
    if (pieces.some((piece) => "sheetEnd" in piece)) return;
  }
}

export const sheetContent = ({ file, sheet }: Layout): AsyncGenerator<readonly ContentPiece[]> => contentPieces(file, wantedSheet(sheet));

const isData = ({ headerRow, lastRow }: Layout, { number, repeated }: RowPiece): boolean =>
  number + repeated - 1 > headerRow && number <= lastRow;

/** The first and the last row of several that are alike, as far as they are the table's; none where the first is behind the last. */
export const spanOf = ({ headerRow, lastRow }: Layout, { number, repeated }: RowPiece): readonly [first: number, last: number] => [
  Math.max(number, headerRow + 1),
  Math.min(number + repeated - 1, lastRow),
];

/** Each of these rows. */
export function* numbersOf(layout: Layout, row: RowPiece): Generator<number> {
  const [first, last] = spanOf(layout, row);
  for (let number = first; number <= last; number++) yield number;
}

/** The cell of a column, and where the search for the next one begins. */
export function cellAt(row: RowPiece, column: number): CellPiece | undefined {
  return row.cells.find((cell) => cell.column <= column && cell.column + cell.repeated > column);
}

/** A row's values by column; `undefined` for a row without any. */
export function rowValues(
  { columns }: Pick<Layout, "columns">,
  row: RowPiece,
  onUncalculated?: (column: string) => void,
): Record<string, string> | undefined {
  const values: Record<string, string> = {};
  let blank = true;
  let at = 0;
  for (const { name, column } of columns) {
    while (at < row.cells.length && row.cells[at]!.column + row.cells[at]!.repeated <= column) at++;
    const cell = row.cells[at];
    const text = cell && cell.column <= column ? cellText(cell) : "";
    if (cell && cell.column <= column && isUncalculated(cell)) onUncalculated?.(name);
    values[name] = text;
    if (text !== "") blank = false;
  }
  return blank ? undefined : values;
}

/** What stands in a row's cells with its type, for another file to take over. */
export function rowSources({ columns }: Pick<Layout, "columns">, row: RowPiece): Record<string, string> {
  const sources: Record<string, string> = {};
  for (const { name, column } of columns) {
    const cell = cellAt(row, column);
    const source = cell && cellSource(cell);
    if (source !== undefined) sources[name] = source;
  }
  return sources;
}

/** The columns in which a formula stands. */
export function computedIn({ columns }: Pick<Layout, "columns">, row: RowPiece): Pick<FileRow, "computed"> {
  if (!row.cells.some((cell) => formulaOf(cell) !== undefined)) return {};
  const computed = columns.filter(({ column }) => {
    const cell = cellAt(row, column);
    return cell !== undefined && formulaOf(cell) !== undefined;
  });
  return computed.length === 0 ? {} : { computed: new Set(computed.map(({ name }) => name)) };
}

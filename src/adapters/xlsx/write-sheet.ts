import { joinKey, type CellOut, type CellsOf, type CellType, type TargetColumn } from "../../core/index.js";
import { KeySet, usableKey } from "../../files/index.js";
import { areaOf, areaText, columnLetters, escapeCell, serialOf, serialText, type DateSystem } from "./cell-text.js";
import { broken, cellText, rowValues, type Layout } from "./layout.js";
import { sheetPieces, type RowPiece, type SheetPiece } from "./sheet-pieces.js";
import type { NumberFormat, StyleEditor } from "./styles.js";
import { attribute, edited, escapeText, prefixOf, withAttribute, type Tag } from "./xml.js";

/** The most characters of a cell, by the file format. */
const MOST_CHARS = 32_767;
const MOST_COLUMNS = 16_384;
const BATCH_ROWS = 500;
const WIDE = 48;
const NARROW = 18;

/** A column that is filled, and where it stands. */
export interface Place {
  readonly target: TargetColumn;
  readonly column: number;
  readonly isNew: boolean;
}

/** What must be known of a sheet before it is written. */
export interface Survey {
  readonly places: readonly Place[];
  /** Some formula is replaced by a value. */
  readonly replacesFormulas: boolean;
  readonly isProtected: boolean;
}

/**
 * Goes through a sheet once before it is written: where new columns have room, which formulas they replace, and which
 * styles will be needed, so that those can be made first.
 */
export async function surveySheet(layout: Layout, targets: readonly TargetColumn[], styles: StyleEditor): Promise<Survey> {
  const { file, sheet, table, columns, headerRow, lastRow } = layout;
  const existing = new Map(columns.map(({ name, column }) => [name, column]));
  const added = targets.filter((target) => !existing.has(target.name));
  const after = table ? table.area.right : Math.max(...columns.map(({ column }) => column));
  const old = new Map(targets.flatMap((target) => (existing.has(target.name) ? [[existing.get(target.name)!, target] as const] : [])));
  const bases = new Map<TargetColumn, Set<number>>(targets.map((target) => [target, new Set([0])]));
  let widest = after;
  let taken: string | undefined;
  let replacesFormulas = false;
  let isProtected = false;
  for await (const pieces of sheetPieces(file, sheet.part)) {
    for (const piece of pieces) {
      if ("raw" in piece) isProtected ||= /<(\w+:)?sheetProtection[\s/>]/.test(piece.raw);
      if (!("row" in piece) || piece.row.number < headerRow || (table && piece.row.number > table.area.bottom)) continue;
      for (const cell of piece.row.cells) {
        const isBlank = cell.value === undefined && cell.formula === undefined;
        if (!isBlank) widest = Math.max(widest, cell.column);
        if (!isBlank && cell.column > after && cell.column <= after + added.length) taken ??= `${columnLetters(cell.column)}${piece.row.number}`;
        const target = old.get(cell.column);
        if (target && piece.row.number > headerRow && piece.row.number <= lastRow) {
          bases.get(target)!.add(cell.style);
          if (cell.formula !== undefined && cell.formula !== "normal") throw broken(file, sheet, `cell ${columnLetters(cell.column)}${piece.row.number}`, `a formula that several cells share stands in \`${target.name}\`, which the plan fills. Fill a column of its own, or replace the formulas by their values first.`);
          replacesFormulas ||= cell.formula !== undefined;
        }
        if (cell.column === after) for (const one of added) bases.get(one)!.add(cell.style);
      }
    }
  }
  if (taken !== undefined && table) throw broken(file, sheet, `cell ${taken}`, `the table ${table.name} has no room at its right for ${added.map(({ name }) => `\`${name}\``).join(", ")}. Move what stands there.`);
  const first = taken === undefined ? after + 1 : widest + 1;
  if (first + added.length - 1 > MOST_COLUMNS) throw broken(file, sheet, `row ${headerRow}`, "the sheet has no room for further columns.");
  for (const [target, styled] of bases) for (const base of styled) styles.like(base, formatOf(target.type));
  const places = targets.map((target) => ({ target, column: existing.get(target.name) ?? first + added.indexOf(target), isNew: !existing.has(target.name) }));
  return { places, replacesFormulas, isProtected };
}

/** The sheet's part with columns written, in a stream. Every character that is not of a written cell stays. */
export async function* writtenSheet(layout: Layout, survey: Survey, key: readonly string[], styles: StyleEditor, cellsOf: CellsOf): AsyncGenerator<string> {
  const { places } = survey;
  const seen = new KeySet();
  let batch: SheetPiece[] = [];
  let rows = 0;
  const isData = ({ number }: RowPiece): boolean => number > layout.headerRow && number <= layout.lastRow;
  const flush = async (): Promise<string> => {
    const named = batch.flatMap((piece) => {
      const values = "row" in piece && isData(piece.row) ? rowValues(layout, piece.row) : undefined;
      return values && "row" in piece ? [{ row: piece.row, key: rowKey(values, key, piece.row.number, seen).key }] : [];
    });
    const cells = await cellsOf(named.map((one) => one.key));
    const byRow = new Map(named.map(({ row }, index) => [row, cells[index]]));
    const text = batch.map((piece) => sourceOf(piece, layout, places, styles, byRow)).join("");
    batch = [];
    rows = 0;
    return text;
  };
  for await (const pieces of sheetPieces(layout.file, layout.sheet.part)) {
    for (const piece of pieces) {
      batch.push(piece);
      if ("row" in piece) rows++;
      if (rows >= BATCH_ROWS) yield await flush();
    }
  }
  yield await flush();
}

/** A row's key, and what keeps the row from being used. */
export function rowKey(values: Readonly<Record<string, string>>, key: readonly string[], row: number, seen: KeySet): { key: string; problem?: string } {
  return usableKey(joinKey(key.map((column) => values[column] ?? "")), row, "row", seen);
}

function sourceOf(piece: SheetPiece, layout: Layout, places: readonly Place[], styles: StyleEditor, cells: ReadonlyMap<RowPiece, Readonly<Record<string, CellOut>> | undefined>): string {
  if ("head" in piece) return headSource(piece.head, piece.tags, places);
  if ("raw" in piece) return piece.raw;
  const { row } = piece;
  if (row.number === layout.headerRow) return withCells(row, headerCells(row, places));
  const given = cells.get(row);
  return given ? withCells(row, dataCells(row, layout, places, styles, given)) : row.source;
}

function headerCells(row: RowPiece, places: readonly Place[]): Map<number, string> {
  const last = row.cells.findLast((cell) => cell.value !== undefined);
  return new Map(places.filter((place) => place.isNew).map(({ target, column }) => [column, cellSource(prefixOf(row.qualified), column, row.number, last?.style ?? 0, { text: target.name })]));
}

function dataCells(row: RowPiece, layout: Layout, places: readonly Place[], styles: StyleEditor, given: Readonly<Record<string, CellOut>>): Map<number, string> {
  const { dates } = layout.cells;
  const written = new Map<number, string>();
  const firstNew = Math.min(...places.filter((place) => place.isNew).map((place) => place.column));
  for (const { target, column, isNew } of places) {
    const cell = given[target.name];
    const before = row.cells.find((one) => one.column === column);
    if (cell === undefined) continue;
    const value = valueOf(target, cell, dates);
    // What stands so already keeps its form: rich text, a formula, a number's own digits.
    if (before && !isNew && cellText(before, layout.cells) === shownText(value, dates)) continue;
    const base = (isNew ? row.cells.find((one) => one.column === firstNew - 1) : before)?.style ?? 0;
    const format = formatOf(target.type);
    const style = isNew || format !== "general" ? styles.like(base, "serial" in value || format === "general" ? format : "general") : base;
    written.set(column, cellSource(prefixOf(row.qualified), column, row.number, style, value));
  }
  return written;
}

type WrittenValue = { readonly text: string } | { readonly number: number } | { readonly serial: number } | { readonly yes: boolean };

/** A value in the form that its cell takes. */
function valueOf({ type = "text" }: TargetColumn, cell: CellOut, dates: DateSystem): WrittenValue {
  if (typeof cell === "number") return { number: cell };
  if (typeof cell === "boolean") return { yes: cell };
  const text = typeof cell === "object" ? cell.asIs : cell;
  const isDate = type === "date" || type === "dateTime";
  const serial = isDate ? serialOf(text, dates) : undefined;
  if (serial !== undefined) return { serial };
  // A person's own number is a number.
  if (!isDate && type !== "text" && type !== "yesNo" && text.trim() !== "" && String(Number(text)) === text) return { number: Number(text) };
  return { text: text.length > MOST_CHARS ? `${text.slice(0, MOST_CHARS - 1)}…` : text };
}

/** The text that is read from a cell once a value stands in it. */
export function writtenText(target: TargetColumn, cell: CellOut, dates: DateSystem): string {
  return shownText(valueOf(target, cell, dates), dates);
}

function shownText(value: WrittenValue, dates: DateSystem): string {
  if ("text" in value) return value.text;
  if ("serial" in value) return serialText(value.serial, dates);
  return "number" in value ? String(value.number) : String(value.yes);
}

function formatOf(type: CellType | undefined): NumberFormat {
  return type === "date" || type === "dateTime" ? type : "general";
}

function cellSource(prefix: string, column: number, row: number, style: number, value: WrittenValue): string {
  const start = `<${prefix}c r="${columnLetters(column)}${row}"${style === 0 ? "" : ` s="${style}"`}`;
  if ("number" in value || "serial" in value) return `${start}><${prefix}v>${"number" in value ? value.number : value.serial}</${prefix}v></${prefix}c>`;
  if ("yes" in value) return `${start} t="b"><${prefix}v>${value.yes ? 1 : 0}</${prefix}v></${prefix}c>`;
  if (value.text === "") return `${start}/>`;
  const keepSpace = /^\s|\s$|[\n\t]| {2}/.test(value.text) ? ' xml:space="preserve"' : "";
  return `${start} t="inlineStr"><${prefix}is><${prefix}t${keepSpace}>${escapeText(escapeCell(value.text))}</${prefix}t></${prefix}is></${prefix}c>`;
}

/** A row's source with cells put in or replaced, in the order of their columns. */
function withCells(row: RowPiece, cells: ReadonlyMap<number, string>): string {
  if (cells.size === 0) return row.source;
  const columns = [...cells.keys()].sort((a, b) => a - b);
  const opening = row.source.slice(0, row.openEnd).replace(/(\sspans\s*=\s*["'])(\d+):(\d+)(["'])/, (_, start: string, from: string, to: string, end: string) => `${start}${Math.min(Number(from), columns[0]!)}:${Math.max(Number(to), columns.at(-1)!)}${end}`);
  if (row.selfClosing) return `${opening.replace(/\s*\/>$/, ">")}${columns.map((column) => cells.get(column)).join("")}</${row.qualified}>`;
  let out = opening;
  let at = row.openEnd;
  let next = 0;
  const putBefore = (column: number): void => {
    while (next < columns.length && columns[next]! < column) out += cells.get(columns[next++]!);
  };
  for (const cell of row.cells) {
    const put = cells.get(cell.column);
    out += row.source.slice(at, cell.start);
    putBefore(cell.column);
    out += put ?? row.source.slice(cell.start, cell.end);
    if (put !== undefined) next++;
    at = cell.end;
  }
  // Behind the last cell, before what else a row may hold.
  putBefore(Infinity);
  return out + row.source.slice(at);
}

/** Everything before the rows: the used area is widened, new columns get a width. */
function headSource(head: string, tags: readonly Tag[], places: readonly Place[]): string {
  const added = places.filter((place) => place.isNew);
  const source = (tag: Tag): string => head.slice(tag.start, tag.end);
  const edits: { start: number; end: number; text: string }[] = [];
  const dimension = tags.find((tag) => tag.name === "dimension");
  const reference = dimension && attribute(dimension, "ref");
  const right = Math.max(0, ...places.map((place) => place.column));
  if (dimension && reference) {
    const area = areaOf(reference);
    if (area.right < right) edits.push({ start: dimension.start, end: dimension.end, text: withAttribute(source(dimension), "ref", areaText({ ...area, right })) });
  }
  const widths = tags.filter((tag) => tag.name === "col");
  const isFree = (column: number): boolean => !widths.some((tag) => Number(attribute(tag, "max")) >= column);
  const data = tags.find((tag) => tag.name === "sheetData")!;
  const prefix = prefixOf(data.qualified);
  const items = added.filter(({ column }) => isFree(column)).toSorted((a, b) => a.column - b.column).map(({ column, target }) => `<${prefix}col min="${column}" max="${column}" width="${target.freeText ? WIDE : NARROW}" customWidth="1"/>`).join("");
  if (items !== "") {
    const list = tags.find((tag) => tag.name === "cols");
    const at = list ? head.indexOf(`</${list.qualified}>`, list.end) : data.start;
    edits.push({ start: at, end: at, text: list ? items : `<${prefix}cols>${items}</${prefix}cols>` });
  }
  return edited(head, edits);
}


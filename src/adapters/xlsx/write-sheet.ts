import type { CellOut } from "../../core/index.js";
import { KeySet, newRows, type FileChanges, type NewRow, type RowChange } from "../../files/index.js";
import { areaOf, areaText, attribute, edited, prefixOf, type Tag, withAttribute } from "../../files/parts/index.js";
import { columnTags } from "./column-widths.js";
import { cellText, rowValues, type Layout } from "./layout.js";
import { sheetRow } from "./row-key.js";
import { sheetPieces, type RowPiece, type SheetPiece } from "./sheet-pieces.js";
import type { StyleEditor } from "./styles.js";
import type { Place, Survey } from "./survey-sheet.js";
import { broughtValue, cellSource, formatOf, shownText, valueOf, type WrittenValue } from "./written-value.js";

const BATCH_ROWS = 500;

/** The sheet's part as it is written, in a stream. Every character that is not of a written cell stays. */
export async function* writtenSheet(
  layout: Layout,
  survey: Survey,
  key: readonly string[],
  styles: StyleEditor,
  changes: FileChanges,
): AsyncGenerator<string> {
  const { lastData } = survey;
  const seen = new KeySet();
  const added = newRows(changes);
  let batch: SheetPiece[] = [];
  let rows = 0;
  let prefix = "";
  const isData = ({ number }: RowPiece): boolean => number > layout.headerRow && number <= Math.min(layout.lastRow, lastData);
  const flush = async (): Promise<string> => {
    const named = batch.flatMap((piece) => {
      if (!("row" in piece) || !isData(piece.row)) return [];
      const values = rowValues(layout, piece.row);
      return values || changes.grows ? [{ row: piece.row, file: values && sheetRow(layout, piece.row, values, key, seen) }] : [];
    });
    const found = await changes.of(named.flatMap(({ file }) => file ?? []));
    const byRow = new Map<RowPiece, RowDone>();
    let at = 0;
    for (const { row, file } of named) {
      const change = file && found[at++]!;
      const comes = changes.grows && (!file || change!.goes) ? await added.take() : undefined;
      if (file || comes) byRow.set(row, { ...change, comes });
    }
    const text = batch.map((piece) => sourceOf(piece, layout, survey, styles, byRow)).join("");
    batch = [];
    rows = 0;
    return text;
  };
  // New rows come below the last one, into rows that are blank or not there yet.
  let number = lastData + 1;
  const addedUpTo = async function* (limit: number): AsyncGenerator<string> {
    for (; number < limit && (await added.next()); number++) {
      const cells = newCells((await added.take())!, number, prefix, layout, survey, styles);
      const inOrder = [...cells].sort(([a], [b]) => a - b).map(([, cell]) => cell);
      yield `<${prefix}row r="${number}">${inOrder.join("")}</${prefix}row>`;
    }
  };
  for await (const pieces of sheetPieces(layout.file, layout.sheet.part)) {
    for (const piece of pieces) {
      if ("row" in piece) prefix = prefixOf(piece.row.qualified);
      if ("row" in piece && piece.row.number > lastData) {
        yield await flush();
        yield* addedUpTo(piece.row.number);
        const comes = number === piece.row.number ? await added.take() : undefined;
        yield comes ? withCells(piece.row, newCells(comes, number++, prefix, layout, survey, styles)) : piece.row.source;
        continue;
      }
      const end = "raw" in piece ? /<\/(?:\w+:)?sheetData>/.exec(piece.raw) : null;
      if ("raw" in piece && end) {
        batch.push({ raw: piece.raw.slice(0, end.index) });
        yield await flush();
        yield* addedUpTo(Infinity);
        yield piece.raw.slice(end.index);
        continue;
      }
      batch.push(piece);
      if ("row" in piece) rows++;
      if (rows >= BATCH_ROWS) yield await flush();
    }
  }
  yield await flush();
}

/** What is done with a row: a change of its own, or another one that comes in its place. */
interface RowDone extends RowChange {
  readonly comes: NewRow | undefined;
}

function sourceOf(piece: SheetPiece, layout: Layout, survey: Survey, styles: StyleEditor, changes: ReadonlyMap<RowPiece, RowDone>): string {
  if ("head" in piece) return headSource(piece.head, piece.tags, layout, survey);
  if ("raw" in piece) return piece.raw;
  const { row } = piece;
  if (row.number === layout.headerRow) return withCells(row, headerCells(row, survey.places));
  const change = changes.get(row);
  if (!change) return row.source;
  if (change.comes) {
    const cells = newCells(change.comes, row.number, prefixOf(row.qualified), layout, survey, styles);
    return withCells(row, new Map([...blankCells(row, layout), ...cells]));
  }
  return withCells(row, change.goes ? blankCells(row, layout) : dataCells(row, layout, survey, styles, change));
}

function headerCells(row: RowPiece, places: readonly Place[]): Map<number, string> {
  const last = row.cells.findLast((cell) => cell.value !== undefined);
  return new Map(
    places
      .filter((place) => place.isNew)
      .map(({ target, column }) => [
        column,
        cellSource(prefixOf(row.qualified), column, row.number, last?.style ?? 0, { text: target.name }),
      ]),
  );
}

/** The cells of a row that goes: blank, so that no other row moves and all that refers to them stays right. */
function blankCells(row: RowPiece, { columns }: Layout): Map<number, string> {
  const isOurs = new Set(columns.map(({ column }) => column));
  return new Map(
    row.cells
      .filter((cell) => isOurs.has(cell.column) && (cell.formula === undefined || cell.formula === "normal"))
      .map(({ column, style }) => [column, cellSource(prefixOf(row.qualified), column, row.number, style, { text: "" })]),
  );
}

function dataCells(
  row: RowPiece,
  layout: Layout,
  survey: Survey,
  styles: StyleEditor,
  { cells: given = {}, brought = {} }: RowChange,
): Map<number, string> {
  const { places } = survey;
  const { dates } = layout.cells;
  const written = new Map<number, string>();
  const put = (column: number, style: number, value: WrittenValue): void =>
    void written.set(column, cellSource(prefixOf(row.qualified), column, row.number, style, value));
  const cellAt = (column: number): RowPiece["cells"][number] | undefined => row.cells.find((one) => one.column === column);
  for (const [name, cell] of Object.entries(brought)) {
    const column = columnOf(name, layout, places);
    const before = column === undefined ? undefined : cellAt(column);
    // A formula that others share cannot be taken away from them.
    if (column === undefined || (before?.formula !== undefined && before.formula !== "normal")) continue;
    const value = broughtValue(cell);
    put(column, styleFor(value, before?.style ?? survey.lastStyles.get(column) ?? 0, layout, survey), value);
  }
  for (const { target, column, isNew } of places) {
    const cell = given[target.name];
    const before = cellAt(column);
    if (cell === undefined) continue;
    const value = valueOf(target, cell, dates);
    // What stands so already keeps its form: rich text, a formula, a number's own digits.
    if (before && !isNew && cellText(before, layout.cells) === shownText(value, dates)) continue;
    put(column, filledStyle(target, isNew, (isNew ? cellAt(survey.neighbour) : before)?.style ?? 0, value, styles), value);
  }
  return written;
}

function filledStyle(target: Place["target"], isNew: boolean, base: number, value: WrittenValue, styles: StyleEditor): number {
  const format = formatOf(target.type);
  return isNew || format !== "general" ? styles.like(base, "serial" in value || format === "general" ? format : "general") : base;
}

/** A day needs a style that shows it as one. */
const styleFor = (value: WrittenValue, style: number, { cells }: Layout, { dayStyle }: Survey): number =>
  "serial" in value && !cells.isDate[style] ? dayStyle : style;

const columnOf = (name: string, { columns }: Layout, places: readonly Place[]): number | undefined =>
  columns.find((one) => one.name === name)?.column ?? places.find(({ target }) => target.name === name)?.column;

/** The cells of a new row; each looks like the one above it. */
function newCells(
  { values, sources, cells }: NewRow,
  number: number,
  prefix: string,
  layout: Layout,
  survey: Survey,
  styles: StyleEditor,
): Map<number, string> {
  const found = new Map<number, string>();
  const styleAt = (column: number): number => survey.lastStyles.get(column) ?? 0;
  for (const [name, text] of Object.entries(values)) {
    const column = columnOf(name, layout, survey.places);
    if (column === undefined || text === "") continue;
    const value = broughtValue({ text, source: sources?.[name] });
    found.set(column, cellSource(prefix, column, number, styleFor(value, styleAt(column), layout, survey), value));
  }
  for (const { target, column, isNew } of survey.places) {
    const cell: CellOut | undefined = cells?.[target.name];
    if (cell === undefined) continue;
    const value = valueOf(target, cell, layout.cells.dates);
    found.set(
      column,
      cellSource(prefix, column, number, filledStyle(target, isNew, styleAt(isNew ? survey.neighbour : column), value, styles), value),
    );
  }
  return found;
}

/** A row's source with cells put in or replaced, in the order of their columns. */
function withCells(row: RowPiece, cells: ReadonlyMap<number, string>): string {
  if (cells.size === 0) return row.source;
  const columns = [...cells.keys()].sort((a, b) => a - b);
  const opening = row.source
    .slice(0, row.openEnd)
    .replace(
      /(\sspans\s*=\s*["'])(\d+):(\d+)(["'])/,
      (_, start: string, from: string, to: string, end: string) =>
        `${start}${Math.min(Number(from), columns[0]!)}:${Math.max(Number(to), columns.at(-1)!)}${end}`,
    );
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
function headSource(head: string, tags: readonly Tag[], { headerRow }: Layout, { places, bottom, lastData }: Survey): string {
  const edits: { start: number; end: number; text: string }[] = [];
  const dimension = tags.find((tag) => tag.name === "dimension");
  const reference = dimension && attribute(dimension, "ref");
  if (dimension && reference) {
    const area = areaOf(reference);
    const now = {
      ...area,
      right: Math.max(area.right, ...places.map((place) => place.column)),
      bottom: lastData > headerRow ? Math.max(area.bottom, bottom) : area.bottom,
    };
    if (now.right !== area.right || now.bottom !== area.bottom)
      edits.push({
        start: dimension.start,
        end: dimension.end,
        text: withAttribute(head.slice(dimension.start, dimension.end), "ref", areaText(now)),
      });
  }
  edits.push(
    ...columnTags(
      head,
      tags,
      places.filter((place) => place.isNew),
    ),
  );
  return edited(head, edits);
}

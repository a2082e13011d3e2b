import type { CellOut } from "../../core/index.js";
import { KeySet, newRows, type FileChanges, type FileRow, type NewRow, type NewRows, type RowChange } from "../../files/index.js";
import { attribute, columnLetters, withAttribute, type Tag } from "../../files/parts/index.js";
import { broughtValue, cellText, isArray, shownText, valueAttributes, valueOf, valueParagraphs, type CellValue } from "./cell-value.js";
import { contentPieces, type CellPiece, type ContentPiece, type RowPiece } from "./content-pieces.js";
import { cellAt, isAnonymous, placeOf, rowValues, wantedSheet, type Layout } from "./layout.js";
import { odsRow } from "./row-key.js";
import { shownAs, withoutAttributes, type ShownAs, type StyleEditor } from "./styles.js";
import { columnRuns, styleAt, type Survey } from "./survey.js";

const BATCH_ROWS = 500;

/** What is put into a cell; without a style it keeps its own. */
interface Edit {
  readonly value: CellValue;
  readonly style?: string | undefined;
}

/** The document's content as it is written, in a stream. Every character that is not of a written cell stays. */
export async function* writtenContent(
  layout: Layout,
  survey: Survey,
  key: readonly string[],
  styles: StyleEditor,
  changes: FileChanges,
): AsyncGenerator<string> {
  const { headerRow } = layout;
  const { lastData } = survey;
  const seen = new KeySet();
  const out = rowWriter(layout, survey, styles);
  let batch: ContentPiece[] = [];
  let rows = 0;
  const added = newRows(changes);
  const flush = async (): Promise<string> => {
    const named: { readonly row: RowPiece; readonly number: number; readonly file: FileRow | undefined }[] = [];
    for (const piece of batch) {
      if (!("row" in piece)) continue;
      const values = rowValues(layout, piece.row);
      if (!values && !changes.grows) continue;
      for (let number = Math.max(piece.row.number, headerRow + 1); number <= endOf(piece.row, layout, lastData); number++)
        named.push({ row: piece.row, number, file: values && odsRow(layout, piece.row, number, values, key, seen) });
    }
    const found = await changes.of(named.flatMap(({ file }) => file ?? []));
    const byRow = new Map<RowPiece, Map<number, RowDone>>();
    let at = 0;
    for (const { row, number, file } of named) {
      const change = file && found[at++]!;
      const comes = changes.grows && (!file || change!.goes) ? await added.take() : undefined;
      const done = { ...change, comes };
      if (file || comes) byRow.set(row, (byRow.get(row) ?? new Map<number, RowDone>()).set(number, done));
    }
    const text = batch.map((piece) => ("row" in piece ? out.standing(piece.row, byRow.get(piece.row)) : sourceOf(piece))).join("");
    batch = [];
    rows = 0;
    return text;
  };
  const sourceOf = (piece: ContentPiece): string => {
    if ("head" in piece) return styles.head();
    if ("top" in piece) return topSource(piece, survey);
    if ("range" in piece) return rangeSource(piece.range, layout, survey);
    return "raw" in piece ? piece.raw : "";
  };
  for await (const pieces of contentPieces(layout.file, wantedSheet(layout.sheet))) {
    for (const piece of pieces) {
      if ("row" in piece && piece.row.number > lastData) {
        yield await flush();
        yield* out.below(piece.row, added);
      } else if ("sheetEnd" in piece) {
        yield await flush();
        yield* out.atEnd(added);
      } else {
        batch.push(piece);
        if ("row" in piece) rows += piece.row.repeated;
        if (rows >= BATCH_ROWS || batch.length >= BATCH_ROWS) yield await flush();
      }
    }
  }
  yield await flush();
}

/** What is done with a row: a change of its own, or another one that comes in its place. */
interface RowDone extends RowChange {
  readonly comes: NewRow | undefined;
}

/** The last row of data of several that are alike. */
const endOf = ({ number, repeated }: RowPiece, { lastRow }: Layout, lastData: number): number =>
  Math.min(number + repeated - 1, lastRow, lastData);

function rowWriter(layout: Layout, survey: Survey, styles: StyleEditor) {
  const { prefixes: p, headerRow, columns } = layout;
  const { places, columnStyle } = survey;
  const repeatedRows = `${p.table}:number-rows-repeated`;

  const times = (row: RowPiece, count: number): string =>
    count === row.repeated
      ? row.source
      : (count === 1
          ? withoutAttributes(row.source.slice(0, row.openEnd), [repeatedRows])
          : withAttribute(row.source.slice(0, row.openEnd), repeatedRows, String(count))) + row.source.slice(row.openEnd);

  /** One row with cells put in or replaced. */
  const withCells = (row: RowPiece, edits: ReadonlyMap<number, Edit>): string => {
    if (edits.size === 0) return times(row, 1);
    const wanted = [...edits.keys()].sort((a, b) => a - b);
    const open = withoutAttributes(row.source.slice(0, row.openEnd), [repeatedRows]);
    let next = 0;
    let reached = 0;
    let at = row.openEnd;
    let inner = "";
    for (const cell of row.cells) {
      inner += row.source.slice(at, cell.start);
      const end = cell.column + cell.repeated;
      let from = cell.column;
      for (; next < wanted.length && wanted[next]! < end; next++) {
        const column = wanted[next]!;
        if (column > from) inner += timesCell(row, cell, column - from);
        inner += editedCell(row, cell, edits.get(column)!);
        from = column + 1;
      }
      if (end > from) inner += timesCell(row, cell, end - from);
      at = cell.end;
      reached = end - 1;
    }
    for (; next < wanted.length; next++) {
      const column = wanted[next]!;
      const gap = column - reached - 1;
      if (gap > 0) inner += `<${p.table}:table-cell${gap > 1 ? ` ${p.table}:number-columns-repeated="${gap}"` : ""}/>`;
      inner += freshCell(edits.get(column)!);
      reached = column;
    }
    if (row.tag.selfClosing) return `${open.replace(/\s*\/>$/, ">")}${inner}</${row.tag.qualified}>`;
    return open + inner + row.source.slice(at);
  };

  const timesCell = (row: RowPiece, cell: CellPiece, count: number): string => {
    if (count === cell.repeated) return row.source.slice(cell.start, cell.end);
    const open = row.source.slice(cell.start, cell.openEnd);
    const name = `${p.table}:number-columns-repeated`;
    return (
      (count === 1 ? withoutAttributes(open, [name]) : withAttribute(open, name, String(count))) + row.source.slice(cell.openEnd, cell.end)
    );
  };

  const freshCell = ({ value, style }: Edit): string => {
    const styled = style === undefined ? "" : ` ${p.table}:style-name="${style}"`;
    return `<${p.table}:table-cell${styled}${valueAttributes(value, p)}>${valueParagraphs(value, p)}</${p.table}:table-cell>`;
  };

  /** A cell with another value: its look, its notes and what else hangs on it stay. */
  const editedCell = (row: RowPiece, cell: CellPiece, { value, style }: Edit): string => {
    const { source } = row;
    const replaced = style === undefined ? VALUE_NAMES : [...VALUE_NAMES, "style-name"];
    const open = source
      .slice(cell.start, cell.openEnd)
      .replace(/\s+(?:[^\s=<>"'/]+:)?([^\s=<>"'/:]+)\s*=\s*("[^"]*"|'[^']*')/g, (whole, local: string) =>
        replaced.includes(local) ? "" : whole,
      )
      .replace(/\s*\/?>$/, "");
    const attributes = `${style === undefined ? "" : ` ${p.table}:style-name="${style}"`}${valueAttributes(value, p)}`;
    const text = valueParagraphs(value, p);
    if (cell.tag.selfClosing) return text === "" ? `${open}${attributes}/>` : `${open}${attributes}>${text}</${cell.tag.qualified}>`;
    const [first] = cell.paragraphs;
    const close = cell.end - `</${cell.tag.qualified}>`.length;
    let inner = "";
    let at = cell.openEnd;
    for (const paragraph of cell.paragraphs) {
      inner += source.slice(at, paragraph.start);
      if (paragraph === first) inner += text;
      at = paragraph.end;
    }
    inner += source.slice(at, Math.max(at, close));
    return `${open}${attributes}>${inner}${first ? "" : text}${source.slice(Math.max(at, close), cell.end)}`;
  };

  const headerEdits = (row: RowPiece): Map<number, Edit> => {
    const lastNamed = columns.at(-1)?.column ?? 1;
    const style = styleAt(row, lastNamed, columnStyle);
    return new Map(places.filter((place) => place.isNew).map(({ target, column }) => [column, { value: { text: target.name }, style }]));
  };

  const dataEdits = (row: RowPiece, { cells: given = {}, brought = {} }: RowChange): Map<number, Edit> => {
    const edits = new Map<number, Edit>();
    for (const [name, cell] of Object.entries(brought)) {
      const column = columnOf(name);
      const before = column === undefined ? undefined : cellAt(row, column);
      // A formula that others share cannot be taken away from them.
      if (column === undefined || (before && isArray(before))) continue;
      const value = broughtValue(cell);
      edits.set(column, { value, style: dayStyle(value, styleAt(row, column, columnStyle) ?? survey.lastStyles.get(column)) });
    }
    for (const { target, column, isNew } of places) {
      const cell: CellOut | undefined = given[target.name];
      const before = cellAt(row, column);
      if (cell === undefined) continue;
      const value = valueOf(target, cell);
      // What stands so already keeps its form: rich text, a formula, a number's own digits.
      if (before && !isNew && cellText(before) === shownText(value)) continue;
      edits.set(column, {
        value,
        style: filledStyle(value, styleAt(row, isNew ? survey.neighbour : column, columnStyle), target.type, isNew),
      });
    }
    return edits;
  };

  const filledStyle = (value: CellValue, base: string | undefined, type: Survey["places"][number]["target"]["type"], isNew: boolean) => {
    const as: ShownAs = shownAs(type);
    return isNew || as !== "general" ? styles.like(base, "day" in value || "yes" in value ? as : "general") : undefined;
  };

  const dayStyle = (value: CellValue, base: string | undefined): string | undefined =>
    "day" in value ? styles.like(base, "date") : undefined;

  const columnOf = (name: string): number | undefined =>
    columns.find((one) => one.name === name)?.column ?? places.find(({ target }) => target.name === name)?.column;

  /** The cells of a row that goes: blank, so that no other row moves and all that refers to them stays right. */
  const blankEdits = (row: RowPiece): Map<number, Edit> =>
    new Map(
      columns.flatMap(({ column }) => {
        const cell = cellAt(row, column);
        return cell && !isArray(cell) && cellText(cell) !== "" ? [[column, { value: { text: "" } }] as const] : [];
      }),
    );

  /** The cells of a new row; each looks like the one above it. */
  const newEdits = ({ values, sources, cells }: NewRow): Map<number, Edit> => {
    const edits = new Map<number, Edit>();
    const above = (column: number): string | undefined => survey.lastStyles.get(column);
    for (const [name, text] of Object.entries(values)) {
      const column = columnOf(name);
      if (column === undefined || text === "") continue;
      const value = broughtValue({ text, source: sources?.[name] });
      edits.set(column, { value, style: dayStyle(value, above(column)) ?? above(column) });
    }
    for (const { target, column, isNew } of places) {
      const cell = cells?.[target.name];
      if (cell === undefined) continue;
      const value = valueOf(target, cell);
      const base = above(isNew ? survey.neighbour : column);
      edits.set(column, { value, style: filledStyle(value, base, target.type, isNew) ?? base });
    }
    return edits;
  };

  const changedEdits = (row: RowPiece, change: RowDone): ReadonlyMap<number, Edit> =>
    change.comes ? new Map([...blankEdits(row), ...newEdits(change.comes)]) : change.goes ? blankEdits(row) : dataEdits(row, change);

  const newRow = (row: NewRow): string => {
    const tag: Pick<Tag, "qualified" | "selfClosing" | "source"> = { qualified: `${p.table}:table-row`, selfClosing: true, source: "" };
    const source = `<${tag.qualified}/>`;
    const empty = { number: 0, repeated: 1, start: 0, source, openEnd: source.length, tag: tag as Tag, cells: [] };
    return withCells(empty, newEdits(row));
  };

  return {
    /** Rows that stand: the header, and those of the table with what is done to each. */
    standing(row: RowPiece, changed: ReadonlyMap<number, RowDone> | undefined): string {
      let text = "";
      let alike = 0;
      const flush = (): void => {
        if (alike > 0) text += times(row, alike);
        alike = 0;
      };
      if (row.number > headerRow && !changed) return row.source;
      for (let number = row.number; number < row.number + row.repeated; number++) {
        const change = changed?.get(number);
        const edits = number === headerRow ? headerEdits(row) : change ? changedEdits(row, change) : NO_EDITS;
        if (edits.size === 0) {
          alike++;
          continue;
        }
        flush();
        text += withCells(row, edits);
      }
      flush();
      return text;
    },
    /** Rows below the last one: new ones are put into them, as long as there are any. */
    async *below(row: RowPiece, added: NewRows): AsyncGenerator<string> {
      let left = row.repeated;
      for (; left > 0 && (await added.next()); left--) yield withCells(row, newEdits((await added.take())!));
      if (left > 0) yield times(row, left);
    },
    /** New rows for which the sheet has none yet. */
    async *atEnd(added: NewRows): AsyncGenerator<string> {
      for (let row = await added.take(); row; row = await added.take()) yield newRow(row);
    },
  };
}

const NO_EDITS: ReadonlyMap<number, Edit> = new Map();

/** The attributes that say what stands in a cell, and how often it is repeated. */
const VALUE_NAMES = [
  "value-type",
  "value",
  "date-value",
  "time-value",
  "boolean-value",
  "string-value",
  "currency",
  "formula",
  "number-columns-repeated",
];

/** A sheet's beginning: where its columns are counted, those that come are counted with them. */
function topSource({ top, tags, from }: Extract<ContentPiece, { top: string }>, { places }: Survey): string {
  const declared = tags.findLast((tag) => tag.name === "table-column");
  const counted = columnRuns(tags).at(-1)?.to ?? 0;
  const missing = Math.max(0, ...places.map(({ column }) => column)) - counted;
  if (!declared?.selfClosing || missing <= 0) return top;
  const at = declared.end - from;
  const repeated = `${declared.qualified.slice(0, declared.qualified.indexOf(":") + 1)}number-columns-repeated`;
  return `${top.slice(0, at)}<${declared.qualified}${missing > 1 ? ` ${repeated}="${missing}"` : ""}/>${top.slice(at)}`;
}

/** The range that is filled, or the filter above it, with the columns and rows that come. */
function rangeSource(tag: Tag, { sheet, range, headerRow, columns }: Layout, { places, bottom, neighbour, lastData }: Survey): string {
  const address = attribute(tag, "target-range-address") ?? "";
  const place = placeOf(address);
  const name = attribute(tag, "name") ?? "";
  const isOurs = range
    ? name === range.name
    : isAnonymous(name) &&
      attribute(tag, "display-filter-buttons") === "true" &&
      place?.area.top === headerRow &&
      columns.some(({ column }) => column === place.area.left);
  if (!place || place.sheet !== sheet || !isOurs) return tag.source;
  const added = places.filter((one) => one.isNew).map(({ column }) => column);
  // A range grows to where it is followed at once.
  const right = place.area.right >= neighbour ? Math.max(place.area.right, ...added) : place.area.right;
  const lower = place.area.bottom >= lastData ? Math.max(place.area.bottom, bottom) : place.area.bottom;
  if (right === place.area.right && lower === place.area.bottom) return tag.source;
  const changed = address.replace(
    /(\$?)[A-Z]+(\$?)\d+$/,
    (_, column: string, row: string) => `${column}${columnLetters(right)}${row}${lower}`,
  );
  const prefix = tag.qualified.slice(0, tag.qualified.indexOf(":") + 1);
  return withAttribute(tag.source, `${prefix}target-range-address`, changed);
}

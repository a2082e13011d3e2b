import { keyColumnsOf, plural, YoroshiError, type CellType, type Chunk, type KeyColumns, type Row, type RowSource, type Table } from "../../core/index.js";
import { backUp, checkWritable, fileHash, filledName, KeySet, writeWhole } from "../../files/index.js";
import type { DateSystem } from "./cell-text.js";
import { dataRows, readLayout, rowValues, type Layout, type SheetChoice } from "./layout.js";
import { openPackage, orUnreadable } from "./package-file.js";
import { recalculated, widenedTable, withoutCalculationChain, withSheet } from "./small-parts.js";
import { statesSheet, STATES_SHEET } from "./states-sheet.js";
import { styleEditor } from "./styles.js";
import { rowKey, surveySheet, writtenSheet, writtenText } from "./write-sheet.js";

export interface XlsxTableOptions extends SheetChoice {
  /** The workbook's path, `.xlsx` or `.xlsm`. */
  readonly file: string;
  /** What messages call it. Default: the path. */
  readonly name?: string | undefined;
  readonly key: KeyColumns;
  /** Write into the workbook itself, after a copy `<name>.backup`. Default: `<name>.filled.xlsx` beside it. */
  readonly inPlace?: boolean | undefined;
  /** Whether a second sheet tells of every filled cell how it stands. */
  readonly showsStates?: boolean | undefined;
  /** Told what a person should know though nothing is wrong: formulas without a value, a protected sheet. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

const CHUNK_ROWS = 128;

/**
 * A sheet, or a defined table, of a workbook (Office Open XML, ECMA-376) as a table. Only the parts concerned are
 * changed, and in them only the cells that are written: everything else in the workbook stays byte for byte.
 */
export function xlsxTable(options: XlsxTableOptions): Table {
  const { file, inPlace = false, onNotice } = options;
  const key = keyColumnsOf(options.key);
  const name = options.name ?? file;
  const targetFile = inPlace ? file : filledName(file);
  const target = inPlace ? name : filledName(name);
  let dates: DateSystem = 1900;

  return {
    name,
    target,
    keyColumns: key,
    columns: () =>
      withLayout(file, name, options, async (layout) => {
        dates = layout.book.dates;
        return layout.columns.map((column) => column.name);
      }),
    async *read(): AsyncGenerator<Chunk> {
      const uncalculated = new Map<string, number>();
      yield* chunks(file, name, options, key, (column) => uncalculated.set(column, (uncalculated.get(column) ?? 0) + 1));
      for (const [column, cells] of uncalculated) onNotice?.(`${name}: ${plural(cells, "formula")} in \`${column}\` ${cells === 1 ? "has" : "have"} no calculated value and ${cells === 1 ? "counts" : "count"} as blank. Open the workbook in a spreadsheet program and save it.`);
    },
    async *standing(wanted) {
      const isThere = (await fileHash(targetFile)) !== undefined;
      for await (const { rows } of chunks(isThere ? targetFile : file, isThere ? target : name, options, key)) {
        yield rows.map((row) => ({ key: row.key, values: Object.fromEntries(wanted.flatMap((column) => (row.values[column] === undefined ? [] : [[column, row.values[column]]]))) }));
      }
    },
    sourceMark: () => fileHash(file),
    standingMark: () => fileHash(targetFile),
    showsStates: options.showsStates,
    checkWritable: () => checkWritable(targetFile, target),
    async write(columns, cellsOf, { statesOf } = {}) {
      if (inPlace) await backUp(file, name);
      return withLayout(file, name, options, async (layout) => {
        requireKey(layout, key);
        dates = layout.book.dates;
        const { book, sheet, table, file: parts } = layout;
        const styles = styleEditor((book.styles && (await parts.text(book.styles))) || NO_STYLES);
        // Without styles a number cannot be shown as a day.
        const targets = book.styles === undefined ? columns.map((column) => ({ ...column, type: isDay(column.type) ? "text" : column.type }) as const) : columns;
        const survey = await surveySheet(layout, targets, styles);
        if (survey.isProtected) onNotice?.(`${target}: the sheet ${sheet.name} is protected and stays so; filled cells are locked for people as its others are.`);
        const changed = new Map<string, string | AsyncIterable<string> | null>();
        const fresh = new Map<string, AsyncIterable<string>>();
        const added = survey.places.filter((place) => place.isNew).map((place) => place.target.name);
        if (table && added.length > 0) changed.set(table.part, widenedTable((await parts.text(table.part))!, added));
        const partText = async (part: string): Promise<string> => (changed.get(part) as string | undefined) ?? (await parts.text(part))!;
        if (added.length < columns.length) changed.set(book.part, recalculated((await parts.text(book.part))!));
        if (survey.replacesFormulas) for (const [part, text] of await withoutCalculationChain(parts, book)) changed.set(part, text);
        if (statesOf) {
          const states = await statesSheet(layout, key, columns, statesOf);
          (states.isNew ? fresh : changed).set(states.part, states.content);
          if (states.isNew) for (const [part, text] of await withSheet(book, { name: STATES_SHEET, part: states.part }, partText)) changed.set(part, text);
        }
        const styled = styles.text();
        if (styled !== undefined && book.styles !== undefined) changed.set(book.styles, styled);
        changed.set(sheet.part, writtenSheet(layout, survey, key, styles, cellsOf));
        return writeWhole(targetFile, target, (write) => parts.copy(changed, fresh, write));
      });
    },
    asWritten: (column, value) => writtenText(column, value, dates),
  };
}

/** All rows of a sheet in a stream. */
export function xlsxRows(file: string, name: string, choice: SheetChoice = {}): RowSource {
  return {
    name,
    columns: () => withLayout(file, name, choice, async (layout) => layout.columns.map((column) => column.name)),
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

const isDay = (type: CellType | undefined): boolean => type === "date" || type === "dateTime";

/** A workbook without styles has one, plain. */
const NO_STYLES = '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs count="1"><xf numFmtId="0"/></cellXfs></styleSheet>';

async function withLayout<T>(file: string, name: string, choice: SheetChoice, use: (layout: Layout) => Promise<T>): Promise<T> {
  const parts = await openPackage(file, name);
  try {
    return await use(await readLayout(parts, choice));
  } catch (error) {
    throw orUnreadable(name, error);
  } finally {
    await parts.close();
  }
}

async function* chunks(file: string, name: string, choice: SheetChoice, key: readonly string[], onUncalculated?: (column: string) => void): AsyncGenerator<Chunk> {
  const parts = await openPackage(file, name);
  try {
    const layout = await readLayout(parts, choice);
    requireKey(layout, key);
    const seen = new KeySet();
    const last = Number.isFinite(layout.lastRow) ? layout.lastRow : await lastRowOf(layout);
    let chunk: Row[] = [];
    for await (const rows of dataRows(layout)) {
      for (const row of rows) {
        const values = rowValues(layout, row, onUncalculated);
        if (!values) continue;
        chunk.push({ ...rowKey(values, key, row.number, seen), place: `row ${row.number}`, values });
        if (chunk.length < CHUNK_ROWS) continue;
        yield { rows: chunk, share: Math.min(1, row.number / last) };
        chunk = [];
      }
    }
    yield { rows: chunk, share: 1 };
  } catch (error) {
    throw orUnreadable(name, error);
  } finally {
    await parts.close();
  }
}

/** As the sheet itself says; for showing how far one is, so it need not be right. */
async function lastRowOf({ file, sheet }: Layout): Promise<number> {
  for await (const text of file.stream(sheet.part)) return Number(/<(?:\w+:)?dimension[^>]*ref="[A-Z]+\d+:[A-Z]+(\d+)"/.exec(text)?.[1] ?? Infinity);
  return Infinity;
}

function requireKey({ file, sheet, headerRow, columns }: Layout, key: readonly string[]): void {
  const known = columns.map((column) => column.name);
  const missing = key.find((column) => !known.includes(column));
  if (missing !== undefined) throw new YoroshiError("tableBroken", { table: `${file.name} (${sheet.name})`, place: `row ${headerRow}`, problem: `there is no column \`${missing}\` for the key. Columns: ${known.join(", ")}.` });
}

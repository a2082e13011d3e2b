import { keyColumnsOf, plural, YoroshiError, type CellType, type KeyColumns } from "../../core/index.js";
import { KeySet, type FileChanges, type FileFormat, type FileRow, type NamedFile } from "../../files/index.js";
import { asFile, openPackage, orUnreadable, sheetNameFor } from "../../files/parts/index.js";
import type { DateSystem } from "./cell-text.js";
import { dataRows, readLayout, rowSources, rowValues, topRows, type Layout, type SheetChoice } from "./layout.js";
import { newWorkbook } from "./new-workbook.js";
import { recalculated, resizedTable, withoutCalculationChain, withSheet } from "./small-parts.js";
import { statesSheet, STATES_SHEET } from "./states-sheet.js";
import { styleEditor } from "./styles.js";
import { surveySheet } from "./survey-sheet.js";
import { writtenSheet } from "./write-sheet.js";
import { sheetRow } from "./row-key.js";
import { writtenText } from "./written-value.js";

const CHUNK_ROWS = 128;

export interface XlsxFormatOptions extends SheetChoice {
  readonly key: KeyColumns;
  readonly showsStates?: boolean | undefined;
  readonly onNotice?: ((text: string) => void) | undefined;
}

/**
 * A sheet, or a defined table, of a workbook (Office Open XML, ECMA-376). Only the parts concerned are changed, and in them
 * only the cells that are written: everything else in the workbook stays byte for byte.
 */
export function xlsxFormat({ key: keyColumns, showsStates, onNotice, ...choice }: XlsxFormatOptions): FileFormat {
  const key = keyColumnsOf(keyColumns);
  let dates: DateSystem = 1900;
  return {
    showsStates,
    columns: (from) =>
      withLayout(from, choice, async (layout) => {
        dates = layout.book.dates;
        return layout.columns.map((column) => column.name);
      }),
    topRows: (from) => withLayout(from, choice, topRows),
    async *rows(from, { sources = false, tell = false } = {}) {
      const uncalculated = new Map<string, number>();
      yield* chunks(
        from,
        choice,
        key,
        sources,
        tell ? (column) => uncalculated.set(column, (uncalculated.get(column) ?? 0) + 1) : undefined,
      );
      for (const [column, cells] of uncalculated)
        onNotice?.(
          `${from.name}: ${plural(cells, "formula")} in \`${column}\` ${cells === 1 ? "has" : "have"} no calculated value and ${cells === 1 ? "counts" : "count"} as blank. Open the workbook in a spreadsheet program and save it.`,
        );
    },
    async write(base, target, begin, write) {
      if (base) return writeAll(base, target, begin, write);
      const header = key.map((name) => ({ name }));
      const bytes = newWorkbook(choice.sheet ?? sheetNameFor(target.name), header, []);
      return asFile(bytes, target.name, (fresh) => writeAll(fresh, target, begin, write));
    },
    asWritten: (column, value) => writtenText(column, value, dates),
  };

  function writeAll(base: NamedFile, target: NamedFile, begin: () => FileChanges, write: (bytes: Buffer) => Promise<void>): Promise<void> {
    return withLayout(base, choice, async (layout) => {
      requireKey(layout, key);
      dates = layout.book.dates;
      const changes = begin();
      const growing = changes.carries || changes.grows ? await countAdded(layout, key, begin()) : 0;
      const tell = (text: string): void => onNotice?.(`${target.name}: ${text}`);
      const { changed, fresh } = await changedParts(layout, key, changes, begin, growing, tell);
      await layout.file.copy(changed, fresh, write);
    });
  }
}

type Parts = Map<string, string | AsyncIterable<string> | null>;

/** The parts of the workbook that are written anew, and those that are added. */
async function changedParts(
  layout: Layout,
  key: readonly string[],
  changes: FileChanges,
  begin: () => FileChanges,
  growing: number,
  tell: (text: string) => void,
): Promise<{ changed: Parts; fresh: Map<string, AsyncIterable<string>> }> {
  const { book, sheet, table, file: parts } = layout;
  const styles = styleEditor((book.styles && (await parts.text(book.styles))) || NO_STYLES);
  // Without styles a number cannot be shown as a day.
  const targets =
    book.styles === undefined
      ? changes.columns.map((column) => ({ ...column, type: isDay(column.type) ? "text" : column.type }) as const)
      : changes.columns;
  const brought = changes.brought.map((name) => ({ name, freeText: false }));
  const survey = await surveySheet(layout, [...brought, ...targets], styles, growing);
  if (survey.isProtected) tell(`the sheet ${sheet.name} is protected and stays so; filled cells are locked for people as its others are.`);
  const changed: Parts = new Map();
  const fresh = new Map<string, AsyncIterable<string>>();
  const added = survey.places.filter((place) => place.isNew).map((place) => place.target.name);
  if (table && (added.length > 0 || survey.bottom > table.area.bottom))
    changed.set(table.part, resizedTable((await parts.text(table.part))!, added, survey.bottom));
  const partText = async (part: string): Promise<string> => (changed.get(part) as string | undefined) ?? (await parts.text(part))!;
  if (changes.carries || changes.grows || added.length < survey.places.length)
    changed.set(book.part, recalculated((await parts.text(book.part))!));
  if (changes.carries || changes.grows || survey.replacesFormulas)
    for (const [part, text] of await withoutCalculationChain(parts, book)) changed.set(part, text);
  if (changes.statesOf) {
    const states = await statesSheet(layout, key, changes.columns, begin());
    (states.isNew ? fresh : changed).set(states.part, states.content);
    if (states.isNew)
      for (const [part, text] of await withSheet(book, { name: STATES_SHEET, part: states.part }, partText)) changed.set(part, text);
  }
  const styled = styles.text();
  if (styled !== undefined && book.styles !== undefined) changed.set(book.styles, styled);
  changed.set(sheet.part, writtenSheet(layout, survey, key, styles, changes));
  return { changed, fresh };
}

const isDay = (type: CellType | undefined): boolean => type === "date" || type === "dateTime";

/** A workbook without styles has one, plain. */
const NO_STYLES =
  '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs count="1"><xf numFmtId="0"/></cellXfs></styleSheet>';

/** How many rows come that need room below the last one; a sheet says at its beginning how far it reaches. */
async function countAdded(layout: Layout, key: readonly string[], changes: FileChanges): Promise<number> {
  const seen = new KeySet();
  let gone = 0;
  for await (const rows of dataRows(layout)) {
    const found = await changes.of(
      rows.flatMap((row) => {
        const values = rowValues(layout, row);
        return values ? [sheetRow(layout, row, values, key, seen)] : [];
      }),
    );
    gone += found.filter((change) => change.goes).length;
  }
  let added = 0;
  for await (const rows of changes.added()) added += rows.length;
  return changes.grows ? Math.max(0, added - gone) : added;
}

export async function withLayout<T>({ file, name }: NamedFile, choice: SheetChoice, use: (layout: Layout) => Promise<T>): Promise<T> {
  const parts = await openPackage(file, name);
  try {
    return await use(await readLayout(parts, choice));
  } catch (error) {
    throw orUnreadable(name, error);
  } finally {
    await parts.close();
  }
}

async function* chunks(
  { file, name }: NamedFile,
  choice: SheetChoice,
  key: readonly string[],
  sources: boolean,
  onUncalculated?: (column: string) => void,
): AsyncGenerator<{ rows: FileRow[]; share: number }> {
  const parts = await openPackage(file, name);
  try {
    const layout = await readLayout(parts, choice);
    requireKey(layout, key);
    const seen = new KeySet();
    const last = Number.isFinite(layout.lastRow) ? layout.lastRow : await lastRowOf(layout);
    let chunk: FileRow[] = [];
    for await (const rows of dataRows(layout)) {
      for (const row of rows) {
        const values = rowValues(layout, row, onUncalculated);
        if (!values) continue;
        chunk.push({ ...sheetRow(layout, row, values, key, seen), ...(sources ? { sources: rowSources(layout, row) } : {}) });
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
  for await (const text of file.stream(sheet.part))
    return Number(/<(?:\w+:)?dimension[^>]*ref="[A-Z]+\d+:[A-Z]+(\d+)"/.exec(text)?.[1] ?? Infinity);
  return Infinity;
}

function requireKey({ file, sheet, headerRow, columns }: Layout, key: readonly string[]): void {
  const known = columns.map((column) => column.name);
  const missing = key.find((column) => !known.includes(column));
  if (missing !== undefined)
    throw new YoroshiError("tableBroken", {
      table: `${file.name} (${sheet.name})`,
      place: `row ${headerRow}`,
      problem: `there is no column \`${missing}\` for the key. Columns: ${known.join(", ")}.`,
    });
}

import { keyColumnsOf, plural, YoroshiError, type KeyColumns } from "../../core/index.js";
import { KeySet, type FileChanges, type FileFormat, type FileRow, type NamedFile } from "../../files/index.js";
import { asFile, openPackage, orUnreadable, sheetNameFor, tagsOf } from "../../files/parts/index.js";
import { shownText, valueOf } from "./cell-value.js";
import { CONTENT, contentPieces, type ContentPiece } from "./content-pieces.js";
import { dataRows, numbersOf, readLayout, rowSources, rowValues, topRows, type Layout, type SheetChoice } from "./layout.js";
import { newDocument } from "./new-document.js";
import { odsRow } from "./row-key.js";
import { styleEditor } from "./styles.js";
import { surveySheet } from "./survey.js";
import { writtenContent } from "./write-content.js";

const CHUNK_ROWS = 128;
const META = "meta.xml";

export interface OdsFormatOptions extends SheetChoice {
  readonly key: KeyColumns;
  readonly onNotice?: ((text: string) => void) | undefined;
}

/**
 * A sheet, or a named range, of an OpenDocument spreadsheet (ISO/IEC 26300, OpenDocument 1.3). Of its parts only the content is changed,
 * and in it only the cells that are written; everything else in the document stays byte for byte.
 */
export function odsFormat({ key: keyColumns, onNotice, ...choice }: OdsFormatOptions): FileFormat {
  const key = keyColumnsOf(keyColumns);
  return {
    columns: (from) => withLayout(from, choice, async (layout) => layout.columns.map((column) => column.name)),
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
          `${from.name}: ${plural(cells, "formula")} in \`${column}\` ${cells === 1 ? "has" : "have"} no calculated value and ${cells === 1 ? "counts" : "count"} as blank. Open the document in a spreadsheet program and save it.`,
        );
    },
    async write(base, target, begin, write) {
      if (base) return writeAll(base, target, begin, write);
      const bytes = newDocument(choice.sheet ?? sheetNameFor(target.name), key);
      return asFile(bytes, target.name, (fresh) => writeAll(fresh, target, begin, write));
    },
    asWritten: (column, value) => shownText(valueOf(column, value)),
  };

  function writeAll(base: NamedFile, target: NamedFile, begin: () => FileChanges, write: (bytes: Buffer) => Promise<void>): Promise<void> {
    return withLayout(base, choice, async (layout) => {
      requireKey(layout, key);
      const changes = begin();
      const growing = changes.carries || changes.grows ? await countAdded(layout, key, begin()) : 0;
      const { head, tags } = await headOf(layout);
      const styles = styleEditor(head, tags, layout.prefixes);
      const brought = changes.brought.map((name) => ({ name, freeText: false }));
      const survey = await surveySheet(layout, [...brought, ...changes.columns], styles, growing);
      const tell = (text: string): void => onNotice?.(`${target.name}: ${text}`);
      if (survey.isProtected)
        tell(`the sheet ${layout.sheet} is protected and stays so; filled cells are locked for people as its others are.`);
      const parts = layout.file;
      if (parts.has("META-INF/documentsignatures.xml")) tell("its digital signature is of the document as it was, and no longer fits.");
      let hasFormulas = false;
      const watched = async function* (texts: AsyncIterable<string>): AsyncGenerator<string> {
        for await (const text of texts) {
          hasFormulas ||= /:formula=["']/.test(text);
          yield text;
        }
      };
      const changed = new Map<string, string | AsyncIterable<string>>([
        [CONTENT, watched(writtenContent(layout, survey, key, styles, changes))],
      ]);
      const meta = await parts.text(META);
      if (meta !== undefined) changed.set(META, withGenerator(meta));
      await parts.copy(changed, new Map(), write);
      if (hasFormulas && (changes.carries || changes.grows || survey.places.some((place) => !place.isNew)))
        tell("its formulas show what they showed before until a spreadsheet program calculates them anew (in LibreOffice: Ctrl+Shift+F9).");
    });
  }
}

/** Who wrote last is said in a document: it is us now (OpenDocument 1.3 part 3, 4.3.2.1). */
function withGenerator(meta: string): string {
  const tag = tagsOf(meta).find((one) => one.name === "generator");
  if (!tag || tag.selfClosing) return meta;
  return `${meta.slice(0, tag.end)}Yoroshi${meta.slice(meta.indexOf("</", tag.end))}`;
}

async function headOf({ file }: Layout): Promise<Extract<ContentPiece, { head: string }>> {
  for await (const pieces of contentPieces(file, () => false)) for (const piece of pieces) if ("head" in piece) return piece;
  throw new YoroshiError("fileUnreadable", { file: file.name, problem: "it has no sheets" });
}

/** How many rows come that need room below the last one. */
async function countAdded(layout: Layout, key: readonly string[], changes: FileChanges): Promise<number> {
  const seen = new KeySet();
  let gone = 0;
  for await (const rows of dataRows(layout)) {
    const found: FileRow[] = [];
    for (const row of rows) {
      const values = rowValues(layout, row);
      if (values) for (const number of numbersOf(layout, row)) found.push(odsRow(layout, row, number, values, key, seen));
    }
    gone += (await changes.of(found)).filter((change) => change.goes).length;
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
  from: NamedFile,
  choice: SheetChoice,
  key: readonly string[],
  sources: boolean,
  onUncalculated?: (column: string) => void,
): AsyncGenerator<{ rows: FileRow[]; share: number }> {
  const parts = await openPackage(from.file, from.name);
  try {
    const layout = await readLayout(parts, choice);
    requireKey(layout, key);
    const seen = new KeySet();
    let chunk: FileRow[] = [];
    let share = 0;
    for await (const rows of dataRows(layout)) {
      for (const row of rows) {
        const values = rowValues(layout, row, onUncalculated);
        if (!values) continue;
        for (const number of numbersOf(layout, row)) {
          chunk.push({ ...odsRow(layout, row, number, values, key, seen), ...(sources ? { sources: rowSources(layout, row) } : {}) });
          if (chunk.length < CHUNK_ROWS) continue;
          // How many rows there are is known only at the end: the share nears one.
          share += (1 - share) / SHARE_STEPS;
          yield { rows: chunk, share };
          chunk = [];
        }
      }
    }
    yield { rows: chunk, share: 1 };
  } catch (error) {
    throw orUnreadable(from.name, error);
  } finally {
    await parts.close();
  }
}

const SHARE_STEPS = 50;

function requireKey({ file, sheet, headerRow, columns }: Layout, key: readonly string[]): void {
  const known = columns.map((column) => column.name);
  const missing = key.find((column) => !known.includes(column));
  if (missing !== undefined)
    throw new YoroshiError("tableBroken", {
      table: `${file.name} (${sheet})`,
      place: `row ${headerRow}`,
      problem: `there is no column \`${missing}\` for the key. Columns: ${known.join(", ")}.`,
    });
}

import { attribute, XmlScanner, type PackageFile, type Tag } from "../../files/parts/index.js";
import { prefixesOf, type Prefixes } from "./names.js";
import { textReader, type TextReader } from "./paragraphs.js";

/** Where the sheets of a document stand. */
export const CONTENT = "content.xml";

/** One cell, or several side by side that are alike, and where they stand in their row's source. */
export interface CellPiece {
  /** The first one, from 1. */
  readonly column: number;
  readonly repeated: number;
  readonly start: number;
  readonly openEnd: number;
  end: number;
  readonly tag: Tag;
  /** Where its paragraphs stand: all else in it is no text of the cell. */
  readonly paragraphs: { readonly start: number; end: number }[];
  /** The paragraphs as text; `undefined` where there are none. */
  text: string | undefined;
}

/** One row, or several on end that are alike. */
export interface RowPiece {
  /** The first one, from 1. */
  readonly number: number;
  readonly repeated: number;
  readonly start: number;
  /** As it stands, tags included. */
  source: string;
  /** Where its opening tag ends. */
  readonly openEnd: number;
  readonly tag: Tag;
  readonly cells: CellPiece[];
}

/** A document's content in pieces that make it up again when they are put together. */
export type ContentPiece =
  /** Everything before the first sheet. */
  | { readonly head: string; readonly tags: readonly Tag[] }
  /** What a sheet has before its first row, or all of it where it has none. */
  | { readonly top: string; readonly sheet: Tag; readonly tags: readonly Tag[]; readonly from: number }
  | { readonly row: RowPiece }
  /** The sheet ends behind this. */
  | { readonly sheetEnd: true }
  /** The tag of a named or filtered range. */
  | { readonly range: Tag }
  | { readonly raw: string };

/** The name of a sheet with the tags before it, and whether its rows are wanted. */
export type Wanted = (sheet: Tag, index: number, head: readonly Tag[]) => boolean;

/** Goes through a document's content in a stream; memory depends on its longest row. */
export async function* contentPieces(
  file: PackageFile,
  wanted: Wanted,
  onPrefixes: (prefixes: Prefixes) => void = () => undefined,
): AsyncGenerator<readonly ContentPiece[]> {
  let ready: ContentPiece[] = [];
  /** Up to here everything has become a piece. */
  let done = 0;
  let lastEnd = 0;
  let depth = 0;
  let sheets = 0;
  let p: Prefixes | undefined;
  const names = { sheet: "", row: "", cell: "", covered: "", column: "", range: "", paragraph: "", heading: "" };
  const head: Tag[] = [];
  let inHead = true;
  /** The wanted sheet that is gone through, how deep it stands, and its tags before the first row. */
  let sheet: { readonly tag: Tag; readonly depth: number; tags: Tag[] | undefined } | undefined;
  let skippedDepth = 0;
  let row: (RowPiece & { readonly depth: number }) | undefined;
  let rows = 0;
  let columns = 0;
  let cell: CellPiece | undefined;
  let cellDepth = 0;
  let reader: TextReader | undefined;

  const rawUpTo = (end: number): void => {
    if (end <= done) return;
    ready.push({ raw: scanner.slice(done, end) });
    done = scanner.keepFrom = end;
  };
  const isRow = (qualified: string): boolean => qualified === names.row;
  const isCell = (qualified: string): boolean => qualified === names.cell || qualified === names.covered;
  const openRow = (tag: Tag): void => {
    if (sheet?.tags) {
      ready.push({ top: scanner.slice(done, tag.start), sheet: sheet.tag, tags: sheet.tags, from: done });
      sheet.tags = undefined;
    } else rawUpTo(tag.start);
    done = scanner.keepFrom = tag.start;
    const repeated = repeats(tag, "number-rows-repeated");
    row = {
      number: rows + 1,
      repeated,
      start: tag.start,
      source: "",
      openEnd: tag.end - tag.start,
      tag,
      cells: [],
      depth,
    };
    rows += repeated;
    columns = 0;
  };
  const openCell = (tag: Tag): void => {
    const repeated = repeats(tag, "number-columns-repeated");
    cell = {
      column: columns + 1,
      repeated,
      start: tag.start - row!.start,
      openEnd: tag.end - row!.start,
      end: 0,
      tag,
      paragraphs: [],
      text: undefined,
    };
    columns += repeated;
    cellDepth = depth;
    row!.cells.push(cell);
  };

  const scanner = new XmlScanner({
    open(tag) {
      const { qualified, start, end } = tag;
      lastEnd = end;
      depth++;
      if (!p) {
        p = prefixesOf(tag);
        onPrefixes(p);
        Object.assign(names, {
          sheet: `${p.table}:table`,
          row: `${p.table}:table-row`,
          cell: `${p.table}:table-cell`,
          covered: `${p.table}:covered-table-cell`,
          range: `${p.table}:database-range`,
          paragraph: `${p.text}:p`,
          heading: `${p.text}:h`,
        });
      }
      if (cell) {
        if (reader) reader.open(tag, p);
        else if (depth === cellDepth + 1 && (qualified === names.paragraph || qualified === names.heading)) {
          cell.paragraphs.push({ start: start - row!.start, end: 0 });
          reader = textReader();
        }
        return;
      }
      if (row) {
        if (depth === row.depth + 1 && isCell(qualified)) openCell(tag);
        return;
      }
      if (sheet) {
        if (qualified === names.sheet) skippedDepth ||= depth;
        if (skippedDepth > 0) return;
        if (isRow(qualified)) openRow(tag);
        else sheet.tags?.push(tag);
        return;
      }
      if (qualified === names.sheet && skippedDepth === 0) {
        const isWanted = wanted(tag, sheets++, head);
        if (inHead) {
          ready.push({ head: scanner.slice(0, start), tags: head });
          done = scanner.keepFrom = start;
          inHead = false;
        }
        if (isWanted) {
          rawUpTo(start);
          sheet = { tag, depth, tags: [] };
          rows = 0;
        } else skippedDepth = depth;
        return;
      }
      if (qualified === names.range) {
        rawUpTo(start);
        ready.push({ range: tag });
        done = scanner.keepFrom = end;
      } else if (inHead) head.push(tag);
    },
    close(_, end) {
      lastEnd = end;
      if (reader) {
        if (depth > cellDepth + 1) reader.close();
        else {
          cell!.paragraphs.at(-1)!.end = end - row!.start;
          cell!.text = cell!.text === undefined ? reader.text() : `${cell!.text}\n${reader.text()}`;
          reader = undefined;
        }
      } else if (cell && depth === cellDepth) {
        cell.end = end - row!.start;
        cell = undefined;
      } else if (row && !cell && depth === row.depth) {
        row.source = scanner.slice(row.start, end);
        ready.push({ row });
        row = undefined;
        done = scanner.keepFrom = end;
      } else if (skippedDepth === depth) {
        skippedDepth = 0;
      } else if (sheet?.depth === depth) {
        // Without its own closing tag: what is added to the sheet comes before that.
        const close = sheet.tag.selfClosing ? done : scanner.slice(done, end).lastIndexOf("</") + done;
        if (sheet.tags) ready.push({ top: scanner.slice(done, close), sheet: sheet.tag, tags: sheet.tags, from: done });
        else rawUpTo(close);
        ready.push({ sheetEnd: true });
        done = close;
        rawUpTo(end);
        sheet = undefined;
      }
      depth--;
    },
    text(text) {
      reader?.write(text);
    },
  });

  for await (const _ of file.scan(CONTENT, scanner)) {
    if (!inHead && !row && !sheet?.tags) rawUpTo(lastEnd);
    if (ready.length > 0) yield ready;
    ready = [];
  }
  if (scanner.end > done) ready.push({ raw: scanner.slice(done, scanner.end) });
  if (ready.length > 0) yield ready;
}

function repeats(tag: Tag, name: string): number {
  const number = Number(attribute(tag, name) ?? 1);
  return Number.isSafeInteger(number) && number > 0 ? number : 1;
}

import { attribute, columnNumber, type PackageFile, type Tag, XmlScanner } from "../../files/parts/index.js";

/** A cell and where it stands in its row's source. */
export interface CellPiece {
  readonly column: number;
  readonly start: number;
  end: number;
  /** `n` a number, `s` a shared text, `str` a formula's text, `inlineStr`, `b`, `d`, `e`. */
  readonly type: string;
  readonly style: number;
  /** What stands in it, undecoded; `undefined` where nothing does. */
  value: string | undefined;
  /** `normal`, `shared`, `array` or `dataTable`. */
  formula: string | undefined;
}

export interface RowPiece {
  readonly number: number;
  /** The row as it stands, tags included. */
  source: string;
  /** Where its opening tag ends. */
  readonly openEnd: number;
  readonly qualified: string;
  readonly selfClosing: boolean;
  readonly cells: CellPiece[];
}

/** A sheet in pieces that make it up again when they are put together. */
export type SheetPiece =
  /** Everything before the first row, with its tags. */
  | { readonly head: string; readonly tags: readonly Tag[] }
  | { readonly row: RowPiece }
  /** What stands between and behind rows. */
  | { readonly raw: string };

/** Goes through a sheet in a stream; memory depends on its longest row. */
export async function* sheetPieces(file: PackageFile, part: string): AsyncGenerator<readonly SheetPiece[]> {
  let ready: SheetPiece[] = [];
  const head: Tag[] = [];
  let inHead = true;
  /** Up to here everything has become a piece. */
  let done = 0;
  let lastEnd = 0;
  let row: (RowPiece & { readonly start: number }) | undefined;
  let rowNumber = 0;
  let cell: CellPiece | undefined;
  let columnBefore = 0;
  let takesText = false;
  let inReading = 0;

  const scanner = new XmlScanner({
    open(tag) {
      const { name, start, end } = tag;
      lastEnd = end;
      if (inHead) {
        head.push(tag);
        if (name !== "sheetData") return;
        inHead = false;
        ready.push({ head: scanner.slice(0, end), tags: head });
        done = scanner.keepFrom = end;
      } else if ((name === "v" || name === "t") && cell) {
        takesText = inReading === 0;
        cell.value ??= "";
      } else if (name === "c" && row) {
        const reference = attribute(tag, "r");
        columnBefore = reference === undefined ? columnBefore + 1 : columnNumber(reference);
        cell = {
          column: columnBefore,
          start: start - row.start,
          end: 0,
          type: attribute(tag, "t") ?? "n",
          style: Number(attribute(tag, "s") ?? 0),
          value: undefined,
          formula: undefined,
        };
        row.cells.push(cell);
      } else if (name === "f" && cell) {
        cell.formula = attribute(tag, "t") ?? "normal";
      } else if (name === "rPh") {
        inReading++;
      } else if (name === "row") {
        if (start > done) ready.push({ raw: scanner.slice(done, start) });
        done = scanner.keepFrom = start;
        const number = attribute(tag, "r");
        rowNumber = number === undefined ? rowNumber + 1 : Number(number);
        columnBefore = 0;
        row = {
          number: rowNumber,
          start,
          source: "",
          openEnd: end - start,
          qualified: tag.qualified,
          selfClosing: tag.selfClosing,
          cells: [],
        };
      }
    },
    close(name, end) {
      lastEnd = end;
      if (name === "v" || name === "t") takesText = false;
      else if (name === "rPh") inReading--;
      else if (name === "c" && row && cell) {
        cell.end = end - row.start;
        cell = undefined;
      } else if (name === "row" && row) {
        row.source = scanner.slice(row.start, end);
        ready.push({ row });
        row = undefined;
        done = scanner.keepFrom = end;
      }
    },
    text(text) {
      if (takesText && cell) cell.value += text;
    },
  });

  for await (const _ of file.scan(part, scanner)) {
    if (!inHead && !row && lastEnd > done) {
      ready.push({ raw: scanner.slice(done, lastEnd) });
      done = scanner.keepFrom = lastEnd;
    }
    if (ready.length > 0) yield ready;
    ready = [];
  }
  if (scanner.end > done) ready.push({ raw: scanner.slice(done, scanner.end) });
  if (ready.length > 0) yield ready;
}

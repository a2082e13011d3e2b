import { defang, joinKey, keyColumnsOf, YoroshiError, type CellOut, type KeyColumns, type TargetColumn } from "../../core/index.js";
import {
  KeySet,
  TOP_ROWS,
  usableKey,
  WriteAgain,
  type FileChanges,
  type FileFormat,
  type FileRow,
  type NamedFile,
  type RowChange,
} from "../../files/index.js";
import { FEW_BYTES, readRawRecords, readRecords, type Records } from "./records.js";
import { quotedCell, readStyle, type CsvStyle } from "./style.js";
import { toWindows1252 } from "./windows-1252.js";

/** CSV (RFC 4180). Separator, line ends, quotes, encoding and byte order mark stay as they are; so does every cell that is not written. */
export function csvFormat(keyColumns: KeyColumns, onNotice: (text: string) => void = () => undefined, made: MadeCsv = {}): FileFormat {
  const key = keyColumnsOf(keyColumns);
  /** A result that needs characters which its encoding does not have. */
  let asUtf8 = false;
  /** Files whose encoding was told: a fill reads its source more than once. */
  const told = new Set<string>();
  return {
    columns: async (from) => (await readHeader(from)).columns,
    async topRows({ file, name }) {
      for await (const { records } of readRecords(file, name, await readStyle(file, name), FEW_BYTES))
        return records.slice(0, TOP_ROWS).map((cells, index) => ({ row: index + 1, cells }));
      return [];
    },
    async *rows(from, { tell = false } = {}) {
      const header = await readHeader(from);
      if (tell && header.style.encoding === "windows-1252" && !told.has(from.name)) {
        told.add(from.name);
        onNotice(`${from.name} is not UTF-8; it is read as Windows-1252.`);
      }
      const identify = identifier(header, key, from.name);
      for await (const { records, firstRow, share } of withHeader(
        header,
        from.name,
        readRecords(from.file, from.name, header.style),
        (record) => record,
      )) {
        const rows: FileRow[] = [];
        records.forEach((record, index) => {
          const row = firstRow + index;
          if (row !== 1 && !isEmptyLine(record, header.columns)) rows.push(rowOf(record, row, header.columns, identify(record, row)));
        });
        yield { rows, share };
      }
    },
    async write(base, target, begin, write) {
      const header = base ? await readHeader(base) : { style: newStyle(made), columns: key };
      const style: CsvStyle = asUtf8 ? { ...header.style, encoding: "utf-8", byteOrderMark: true } : header.style;
      asUtf8 = false;
      try {
        await writeRows({ base, ...header }, style, key, begin(), async (text) => write(encoded(text, style)));
      } catch (error) {
        if (!(error instanceof BeyondEncoding)) throw error;
        // A word that Windows-1252 cannot write must not be lost: the result is UTF-8, with the mark that spreadsheets look for.
        onNotice(
          `${target.name} is written as UTF-8: it has characters that Windows-1252, the encoding of ${base?.name ?? target.name}, does not have.`,
        );
        asUtf8 = true;
        throw new WriteAgain();
      }
    },
    asWritten,
  };
}

/** The text for a value: a model's own words are kept from being run as a formula. */
function asWritten(column: TargetColumn, value: string | number | boolean): string {
  return column.freeText && typeof value === "string" ? defang(value) : String(value);
}

/** What may be said of a file that is not there yet. */
export interface MadeCsv {
  readonly separator?: "comma" | "semicolon" | "tab" | undefined;
  readonly byteOrderMark?: boolean | undefined;
}

const SEPARATORS = { comma: ",", semicolon: ";", tab: "\t" };

const newStyle = ({ separator = "comma", byteOrderMark = false }: MadeCsv): CsvStyle => ({
  encoding: "utf-8",
  byteOrderMark,
  delimiter: SEPARATORS[separator],
  newline: "\n",
  quotes: "needed",
  quotesBlanks: false,
});

interface Header {
  readonly style: CsvStyle;
  readonly columns: readonly string[];
}

async function readHeader({ file, name }: NamedFile): Promise<Header> {
  const style = await readStyle(file, name);
  for await (const { records } of readRecords(file, name, style, FEW_BYTES)) {
    const columns = (records[0] ?? []).map((column) => column.trim());
    const twice = columns.find((column, index) => column !== "" && columns.indexOf(column) !== index);
    if (twice !== undefined)
      throw new YoroshiError("tableBroken", {
        table: name,
        place: "row 1",
        problem: `two columns are named \`${twice}\`. Give each its own name.`,
      });
    return { style, columns };
  }
  throw new YoroshiError("tableBroken", { table: name, place: "row 1", problem: "the file has no first row with the columns' names." });
}

/**
 * The file as it was when its first row was read: another program may have emptied or replaced it since, and a table that is just being
 * written is not one without rows.
 */
async function* withHeader<R>(
  { columns }: Header,
  name: string,
  pieces: AsyncIterable<Records<R>>,
  recordOf: (record: R) => readonly string[],
): AsyncGenerator<Records<R>> {
  let isSame = false;
  for await (const piece of pieces) {
    if (piece.firstRow === 1) {
      const begins = recordOf(piece.records[0]!).map((column) => column.trim());
      isSame = begins.length === columns.length && begins.every((column, index) => column === columns[index]);
    }
    if (!isSame) break;
    yield piece;
  }
  if (!isSame)
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "row 1",
      problem: "another program changed the file while it was read. Begin again once it is written.",
    });
}

type Identity = Pick<FileRow, "key" | "problem" | "unnamed" | "ownKey">;

/** Gives rows their keys, and what keeps a row from being used; rows without a usable key are named by their place. */
function identifier({ columns }: Header, key: readonly string[], name: string): (record: readonly string[], row: number) => Identity {
  const keyAt = key.map((column) => columns.indexOf(column));
  if (keyAt.includes(-1))
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "row 1",
      problem: `there is no column \`${key[keyAt.indexOf(-1)]}\` for the key. Columns: ${columns.join(", ")}.`,
    });
  const seen = new KeySet();
  return (record, row) => {
    const own = usableKey(joinKey(keyAt.map((index) => record[index] ?? "")), row, "row", seen);
    return own.problem !== undefined || record.length === columns.length
      ? own
      : { ...own, problem: `the row has ${record.length} cells, the header has ${columns.length}` };
  };
}

function rowOf(record: readonly string[], row: number, columns: readonly string[], identity: Identity): FileRow {
  const values: Record<string, string> = {};
  for (let i = 0; i < columns.length; i++) values[columns[i]!] = record[i] ?? "";
  return { ...identity, place: `row ${row}`, values };
}

function isEmptyLine(record: readonly string[], columns: readonly string[]): boolean {
  return record.length === 1 && record[0] === "" && columns.length > 1;
}

async function writeRows(
  from: Header & { readonly base: NamedFile | undefined },
  style: CsvStyle,
  key: readonly string[],
  changes: FileChanges,
  write: (text: string) => Promise<void>,
): Promise<void> {
  const { base, columns } = from;
  const width = columns.length;
  const names = [...changes.brought, ...changes.columns.map((column) => column.name)];
  const added = names.filter((name, index) => !columns.includes(name) && names.indexOf(name) === index);
  const header = [...columns, ...added];
  const at = new Map(header.map((column, index) => [column, index]));
  const cell = (text: string, isNumber = false): string => quotedCell(text, style, isNumber);
  const put = (row: string[], { cells, brought }: RowChange): string[] => {
    for (const [name, { text }] of Object.entries(brought ?? {})) if (at.has(name)) row[at.get(name)!] = cell(text);
    for (const column of changes.columns) {
      const value = cells?.[column.name];
      if (value !== undefined) row[at.get(column.name)!] = cell(outText(column, value), typeof value === "number");
    }
    return row;
  };
  const blank = cell("");
  if (style.byteOrderMark) await write("\ufeff");
  if (!base) await write(header.map((name) => cell(name)).join(style.delimiter) + style.newline);
  let endsOpen = false;
  const identify = base && identifier(from, key, base.name);
  const asItStands = base ? withHeader(from, base.name, readRawRecords(base.file, base.name, from.style), ({ record }) => record) : [];
  for await (const { records, firstRow } of asItStands) {
    const isData = records.map(({ record }, index) => firstRow + index !== 1 && !isEmptyLine(record, columns));
    const rows = records.flatMap(({ record }, index) =>
      isData[index] ? [rowOf(record, firstRow + index, columns, identify!(record, firstRow + index))] : [],
    );
    const found = await changes.of(rows);
    let next = 0;
    let text = "";
    records.forEach(({ record, source }, index) => {
      const { cells, end } = source();
      const change = isData[index] ? found[next++]! : undefined;
      if (change?.goes) return;
      // Cells beyond the header stay, behind the new columns.
      const out =
        firstRow + index === 1
          ? [...cells, ...added.map((name) => cell(name))]
          : change
            ? put(
                [
                  ...cells.slice(0, width),
                  ...Array.from({ length: Math.max(0, width - record.length) + added.length }, () => blank),
                  ...cells.slice(width),
                ],
                change,
              )
            : cells;
      text += `${out.join(style.delimiter)}${end}`;
      endsOpen = end === "";
    });
    if (text !== "") await write(text);
  }
  for await (const rows of changes.added()) {
    const text = rows
      .map(
        ({ values, cells }) =>
          `${put(
            header.map((column) => cell(values[column] ?? "")),
            { cells },
          ).join(style.delimiter)}${style.newline}`,
      )
      .join("");
    await write(`${endsOpen ? style.newline : ""}${text}`);
    endsOpen = false;
  }
}

/** A character that the file's encoding does not have. */
class BeyondEncoding extends Error {}

function outText(column: TargetColumn, cell: CellOut): string {
  return typeof cell === "object" ? cell.asIs : asWritten(column, cell);
}

function encoded(text: string, style: CsvStyle): Buffer {
  if (style.encoding === "utf-8") return Buffer.from(text, "utf8");
  if (style.encoding === "windows-1252") {
    const single = toWindows1252(text);
    if (!single) throw new BeyondEncoding();
    return single;
  }
  const bytes = Buffer.from(text, "utf16le");
  return style.encoding === "utf-16be" ? bytes.swap16() : bytes;
}

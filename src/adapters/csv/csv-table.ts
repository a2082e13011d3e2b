import { stringify } from "csv-stringify/sync";
import { defang, joinKey, keyColumnsOf, YoroshiError, type CellOut, type CellsOf, type Chunk, type Growth, type KeyColumns, type Row, type Table, type TargetColumn } from "../../core/index.js";
import { backUp, checkWritable, fileHash, filledName, KeySet, usableKey, writeWhole } from "../../files/index.js";
import { FEW_BYTES, readRecords } from "./records.js";
import { readStyle, type CsvStyle } from "./style.js";
import { toWindows1252 } from "./windows-1252.js";

export interface CsvTableOptions {
  /** The source file's path. */
  readonly file: string;
  /** What messages call it. Default: the path. */
  readonly name?: string | undefined;
  readonly key: KeyColumns;
  /** Write into the source itself, after a copy `<name>.backup`. Default: `<name>.filled.csv` beside it. */
  readonly inPlace?: boolean | undefined;
  /** The file holds rows that Yoroshi makes: it is its own result, begins when it is first written, and rows come and go. */
  readonly grows?: boolean | undefined;
  /** Told what a person should know though nothing is wrong: an encoding that was found, or had to be changed. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

/** A CSV file (RFC 4180) as a table. Separator, line ends, encoding and byte order mark are kept on writing. */
export function csvTable(options: CsvTableOptions): Table {
  const { file, grows = false } = options;
  const inPlace = options.inPlace === true || grows;
  const key = keyColumnsOf(options.key);
  const name = options.name ?? file;
  const targetFile = inPlace ? file : filledName(file);
  const target = inPlace ? name : filledName(name);
  // Read anew each time: the file may have changed, in place by our own hand.
  const source = async (): Promise<Header> => (grows && (await fileHash(file)) === undefined ? { file: undefined, name, style: NEW_STYLE, columns: key } : readHeader(file, name));

  return {
    name,
    target,
    keyColumns: key,
    columns: async () => (await source()).columns,
    async *read(): AsyncGenerator<Chunk> {
      const from = await source();
      if (from.style.encoding === "windows-1252") options.onNotice?.(`${name} is not UTF-8; it is read as Windows-1252.`);
      yield* rowsOf(from, key);
    },
    async *standing(columns) {
      const outcome = (await fileHash(targetFile)) === undefined ? await source() : await readHeader(targetFile, target);
      const present = columns.filter((column) => outcome.columns.includes(column));
      if (present.length === 0 || !key.every((column) => outcome.columns.includes(column))) return;
      for await (const { rows } of rowsOf(outcome, key)) {
        yield rows.map((row) => ({ key: row.key, values: Object.fromEntries(present.map((column) => [column, row.values[column] ?? ""])) }));
      }
    },
    sourceMark: () => fileHash(file),
    standingMark: () => fileHash(targetFile),
    checkWritable: () => checkWritable(targetFile, target),
    async write(columns, cellsOf, { growth } = {}) {
      const from = await source();
      if (options.inPlace) await backUp(file, name);
      const style = { ...from.style };
      try {
        return await writeWhole(targetFile, target, (write) => writeRows(from, style, { key, columns, cellsOf, growth }, write));
      } catch (error) {
        if (!(error instanceof BeyondEncoding)) throw error;
        // A word that Windows-1252 cannot write must not be lost: the result is UTF-8, with the mark that spreadsheets look for.
        options.onNotice?.(`${target} is written as UTF-8: it has characters that Windows-1252, the encoding of ${name}, does not have.`);
        return writeWhole(targetFile, target, (write) => writeRows(from, { ...style, encoding: "utf-8", byteOrderMark: true }, { key, columns, cellsOf, growth }, write));
      }
    },
    asWritten,
  };
}

/** The text for a value: a model's own words are kept from being run as a formula. */
function asWritten(column: TargetColumn, value: string | number | boolean): string {
  return column.freeText && typeof value === "string" ? defang(value) : String(value);
}

/** How a file is written that is not there yet. */
const NEW_STYLE: CsvStyle = { encoding: "utf-8", byteOrderMark: false, delimiter: ",", newline: "\n" };

interface Header {
  /** None where there is no file yet. */
  readonly file: string | undefined;
  readonly name: string;
  readonly style: CsvStyle;
  readonly columns: readonly string[];
}

async function readHeader(file: string, name: string): Promise<Header> {
  const style = await readStyle(file, name);
  for await (const { records } of readRecords(file, name, style, FEW_BYTES)) {
    const columns = (records[0] ?? []).map((column) => column.trim());
    const twice = columns.find((column, index) => column !== "" && columns.indexOf(column) !== index);
    if (twice !== undefined) throw new YoroshiError("tableBroken", { table: name, place: "row 1", problem: `two columns are named \`${twice}\`. Give each its own name.` });
    return { file, name, style, columns };
  }
  throw new YoroshiError("tableBroken", { table: name, place: "row 1", problem: "the file has no first row with the columns' names." });
}

async function* rowsOf({ file, name, style, columns }: Header, key: readonly string[]): AsyncGenerator<Chunk> {
  const keyAt = key.map((column) => columns.indexOf(column));
  if (keyAt.includes(-1)) throw new YoroshiError("tableBroken", { table: name, place: "row 1", problem: `there is no column \`${key[keyAt.indexOf(-1)]}\` for the key. Columns: ${columns.join(", ")}.` });
  const seen = new KeySet();
  if (file === undefined) return;
  for await (const { records, firstRow, share } of readRecords(file, name, style)) {
    const rows: Row[] = [];
    records.forEach((record, index) => {
      const row = firstRow + index;
      if (row === 1 || isEmptyLine(record, columns)) return;
      rows.push(rowOf(record, row, columns, identify(record, row, keyAt, columns.length, seen)));
    });
    yield { rows, share };
  }
}

/** A row's key, and what keeps the row from being used; rows without a usable key are named by their place. */
function identify(record: readonly string[], row: number, keyAt: readonly number[], width: number, seen: KeySet): { key: string; problem?: string } {
  const own = usableKey(joinKey(keyAt.map((index) => record[index] ?? "")), row, "row", seen);
  return own.problem !== undefined || record.length === width ? own : { ...own, problem: `the row has ${record.length} cells, the header has ${width}` };
}

function rowOf(record: readonly string[], row: number, columns: readonly string[], identity: { key: string; problem?: string }): Row {
  const values: Record<string, string> = {};
  for (let i = 0; i < columns.length; i++) values[columns[i]!] = record[i] ?? "";
  return { ...identity, place: `row ${row}`, values };
}

function isEmptyLine(record: readonly string[], columns: readonly string[]): boolean {
  return record.length === 1 && record[0] === "" && columns.length > 1;
}

interface Writing {
  readonly key: readonly string[];
  readonly columns: readonly TargetColumn[];
  readonly cellsOf: CellsOf;
  readonly growth?: Growth | undefined;
}

async function writeRows(from: Header, style: CsvStyle, { key, columns, cellsOf, growth }: Writing, write: (bytes: Buffer) => Promise<void>): Promise<void> {
  const width = from.columns.length;
  const added = columns.filter((column) => !from.columns.includes(column.name));
  const header = [...from.columns, ...added.map((column) => column.name)];
  const indexOf = new Map(header.map((column, index) => [column, index]));
  const keyAt = key.map((column) => from.columns.indexOf(column));
  const seen = new KeySet();
  const encode = (records: readonly (readonly string[])[]): Buffer => encoded(stringify(records as string[][], { delimiter: style.delimiter, record_delimiter: style.newline, quoted_match: "\r" }), style);
  const put = (row: string[], cells: Readonly<Record<string, CellOut>> | undefined): string[] => {
    for (const column of columns) {
      const cell = cells?.[column.name];
      if (cell !== undefined) row[indexOf.get(column.name)!] = textOf(column, cell);
    }
    return row;
  };
  if (style.byteOrderMark) await write(encoded("\ufeff", style));
  if (from.file === undefined) await write(encode([header]));
  for await (const { records, firstRow } of from.file === undefined ? [] : readRecords(from.file, from.name, from.style)) {
    const keys = records.map((record, index) => (firstRow + index === 1 || isEmptyLine(record, from.columns) ? "" : identify(record, firstRow + index, keyAt, width, seen).key));
    const cells = await cellsOf(keys);
    const out = records.flatMap((record, index) => {
      if (firstRow + index === 1) return [[...record, ...header.slice(width)]];
      if (keys[index] === "") return [record];
      if (growth?.goes({ key: keys[index]!, values: Object.fromEntries(from.columns.map((column, at) => [column, record[at] ?? ""])) }, cells[index])) return [];
      // Cells beyond the header stay, behind the new columns.
      return [put([...record.slice(0, width), ...Array.from({ length: Math.max(0, width - record.length) + added.length }, () => ""), ...record.slice(width)], cells[index])];
    });
    await write(encode(out));
  }
  for await (const rows of growth?.added() ?? []) {
    const cells = await cellsOf(rows.map((row) => row.key));
    await write(encode(rows.map(({ values }, index) => put(header.map((column) => values[column] ?? ""), cells[index]))));
  }
}

/** A character that the file's encoding does not have. */
class BeyondEncoding extends Error {}

function textOf(column: TargetColumn, cell: CellOut): string {
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

import { stringify } from "csv-stringify/sync";
import { defang, joinKey, keyColumnsOf, YoroshiError, type CellOut, type CellsOf, type Chunk, type KeyColumns, type Row, type Table, type TargetColumn } from "../../core/index.js";
import { backUp, checkWritable, fileHash, filledName, KeySet, writeWhole } from "../../files/index.js";
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
  /** Told what a person should know though nothing is wrong: an encoding that was found, or had to be changed. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

/** A CSV file (RFC 4180) as a table. Separator, line ends, encoding and byte order mark are kept on writing. */
export function csvTable(options: CsvTableOptions): Table {
  const { file, inPlace = false } = options;
  const key = keyColumnsOf(options.key);
  const name = options.name ?? file;
  const targetFile = inPlace ? file : filledName(file);
  const target = inPlace ? name : filledName(name);
  // Read anew each time: the file may have changed, in place by our own hand.
  const source = (): Promise<Header> => readHeader(file, name);

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
    async write(columns, cellsOf) {
      const from = await source();
      if (inPlace) await backUp(file, name);
      const style = { ...from.style };
      try {
        return await writeWhole(targetFile, target, (write) => writeRows(from, style, key, columns, cellsOf, write));
      } catch (error) {
        if (!(error instanceof BeyondEncoding)) throw error;
        // A word that Windows-1252 cannot write must not be lost: the result is UTF-8, with the mark that spreadsheets look for.
        options.onNotice?.(`${target} is written as UTF-8: it has characters that Windows-1252, the encoding of ${name}, does not have.`);
        return writeWhole(targetFile, target, (write) => writeRows(from, { ...style, encoding: "utf-8", byteOrderMark: true }, key, columns, cellsOf, write));
      }
    },
    asWritten,
  };
}

/** The text for a value: a model's own words are kept from being run as a formula. */
function asWritten(column: TargetColumn, value: string | number | boolean): string {
  return column.freeText && typeof value === "string" ? defang(value) : String(value);
}

interface Header {
  readonly file: string;
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
  const key = joinKey(keyAt.map((index) => record[index] ?? ""));
  if (key === "") return { key: `(row ${row})`, problem: "the row has no key" };
  const first = seen.add(key, row);
  if (first !== undefined) return { key: `${key} (row ${row})`, problem: `the key stands in row ${first}, too` };
  return record.length === width ? { key } : { key, problem: `the row has ${record.length} cells, the header has ${width}` };
}

function rowOf(record: readonly string[], row: number, columns: readonly string[], identity: { key: string; problem?: string }): Row {
  const values: Record<string, string> = {};
  for (let i = 0; i < columns.length; i++) values[columns[i]!] = record[i] ?? "";
  return { ...identity, place: `row ${row}`, values };
}

function isEmptyLine(record: readonly string[], columns: readonly string[]): boolean {
  return record.length === 1 && record[0] === "" && columns.length > 1;
}

async function writeRows(from: Header, style: CsvStyle, key: readonly string[], columns: readonly TargetColumn[], cellsOf: CellsOf, write: (bytes: Buffer) => Promise<void>): Promise<void> {
  const width = from.columns.length;
  const added = columns.filter((column) => !from.columns.includes(column.name));
  const indexOf = new Map([...from.columns, ...added.map((column) => column.name)].map((column, index) => [column, index]));
  const keyAt = key.map((column) => from.columns.indexOf(column));
  const seen = new KeySet();
  const encode = (records: readonly (readonly string[])[]): Buffer => encoded(stringify(records as string[][], { delimiter: style.delimiter, record_delimiter: style.newline, quoted_match: "\r" }), style);
  if (style.byteOrderMark) await write(encoded("\ufeff", style));
  for await (const { records, firstRow } of readRecords(from.file, from.name, from.style)) {
    const keys = records.map((record, index) => (firstRow + index === 1 || isEmptyLine(record, from.columns) ? "" : identify(record, firstRow + index, keyAt, width, seen).key));
    const cells = await cellsOf(keys);
    const out = records.map((record, index) => {
      if (firstRow + index === 1) return [...record, ...added.map((column) => column.name)];
      if (keys[index] === "") return record;
      // Cells beyond the header stay, behind the new columns.
      const row = [...record.slice(0, width), ...Array.from({ length: Math.max(0, width - record.length) + added.length }, () => ""), ...record.slice(width)];
      for (const column of columns) {
        const cell = cells[index]?.[column.name];
        if (cell !== undefined) row[indexOf.get(column.name)!] = textOf(column, cell);
      }
      return row;
    });
    await write(encode(out));
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

import { joinKey, keyColumnsOf, YoroshiError, type CellOut, type Chunk, type KeyColumns, type Row, type RowSource, type Table, type TargetColumn } from "../../core/index.js";
import { backUp, checkWritable, fileHash, filledName, KeySet, usableKey, writeWhole } from "../../files/index.js";
import { valuesOf, withMembers } from "./line.js";
import { readLines } from "./lines.js";

export interface JsonlTableOptions {
  /** The source file's path. */
  readonly file: string;
  /** What messages call it. Default: the path. */
  readonly name?: string | undefined;
  readonly key: KeyColumns;
  /** Write into the source itself, after a copy `<name>.backup`. Default: `<name>.filled.jsonl` beside it. */
  readonly inPlace?: boolean | undefined;
  /** The file holds rows that Yoroshi makes: it is its own result, begins when it is first written, and rows come and go. */
  readonly grows?: boolean | undefined;
}

/**
 * A JSON Lines file (one object on each line) as a table. What is filled becomes members of the object, numbers and
 * true or false as such; all else on a line stays byte for byte.
 */
export function jsonlTable({ file, grows = false, ...options }: JsonlTableOptions): Table {
  const inPlace = options.inPlace === true || grows;
  const key = keyColumnsOf(options.key);
  const name = options.name ?? file;
  const targetFile = inPlace ? file : filledName(file);
  const target = inPlace ? name : filledName(name);
  return {
    name,
    target,
    keyColumns: key,
    columns: () => columnsOf(file, name),
    async *read(): AsyncGenerator<Chunk> {
      const columns = await columnsOf(file, name);
      const missing = key.find((column) => !columns.includes(column));
      if (missing !== undefined) throw new YoroshiError("tableBroken", { table: name, place: "line 1", problem: `no line has a member \`${missing}\` for the key. Members: ${columns.join(", ")}.` });
      for await (const { rows, share } of rowsOf(file, name, key)) yield { rows: rows.flatMap((row) => row ?? []), share };
    },
    async *standing(columns) {
      const from = (await fileHash(targetFile)) === undefined ? file : targetFile;
      if (grows && (await fileHash(from)) === undefined) return;
      for await (const { rows } of rowsOf(from, name, key)) {
        yield rows.flatMap((row) => (row ? [{ key: row.key, values: Object.fromEntries(columns.flatMap((column) => (row.values[column] === undefined ? [] : [[column, row.values[column]]]))) }] : []));
      }
    },
    sourceMark: () => fileHash(file),
    standingMark: () => fileHash(targetFile),
    checkWritable: () => checkWritable(targetFile, target),
    async write(columns, cellsOf, { growth } = {}) {
      if (options.inPlace) await backUp(file, name);
      const isNew = grows && (await fileHash(file)) === undefined;
      return writeWhole(targetFile, target, async (write) => {
        let endsOpen = false;
        for await (const { rows, lines } of isNew ? [] : rowsOf(file, name, key)) {
          const cells = await cellsOf(rows.map((row) => row?.key ?? ""));
          const written = lines.flatMap((line, index) => {
            const row = rows[index];
            if (!row || row.problem?.startsWith(NO_OBJECT)) return [line];
            return growth?.goes({ key: row.key, values: row.values }, cells[index]) ? [] : [withMembers(line, chosen(columns, cells[index]))];
          });
          const text = written.join("");
          if (text !== "") endsOpen = !/[\r\n]$/.test(text);
          await write(Buffer.from(text, "utf8"));
        }
        for await (const rows of growth?.added() ?? []) {
          const cells = await cellsOf(rows.map((row) => row.key));
          const text = rows.map(({ values }, index) => `${withMembers(JSON.stringify(values), chosen(columns, cells[index]))}\n`).join("");
          await write(Buffer.from(`${endsOpen ? "\n" : ""}${text}`, "utf8"));
          endsOpen = false;
        }
      });
    },
    // Nothing that reads JSON runs a text as a formula.
    asWritten: (_column: TargetColumn, value) => String(value),
  };
}

/** All rows of a JSON Lines file in a stream. */
export function jsonlRows(file: string, name: string): RowSource {
  return {
    name,
    columns: () => columnsOf(file, name),
    async *rows() {
      for await (const { lines } of readLines(file, name)) {
        yield lines.flatMap((line) => {
          const values = valuesOf(line);
          return values ? [values] : [];
        });
      }
    },
    mark: () => fileHash(file),
  };
}

const NO_OBJECT = "the line is not a JSON object";

function chosen(columns: readonly TargetColumn[], cells: Readonly<Record<string, CellOut>> | undefined): Record<string, CellOut> {
  return Object.fromEntries(columns.flatMap(({ name }) => (cells?.[name] === undefined ? [] : [[name, cells[name]]])));
}

/** The members that occur anywhere in the file, in the order in which they are first seen. */
async function columnsOf(file: string, name: string): Promise<string[]> {
  const names = new Set<string>();
  for await (const { lines } of readLines(file, name)) for (const line of lines) for (const member of Object.keys(valuesOf(line) ?? {})) names.add(member);
  if (names.size === 0) throw new YoroshiError("tableBroken", { table: name, place: "line 1", problem: "the file has no line with a JSON object." });
  return [...names];
}

/** For each line its row; `undefined` for blank lines. */
async function* rowsOf(file: string, name: string, key: readonly string[]): AsyncGenerator<{ rows: (Row | undefined)[]; lines: readonly string[]; share: number }> {
  const seen = new KeySet();
  for await (const { lines, first, share } of readLines(file, name)) yield { rows: lines.map((line, index) => rowOf(line, first + index, key, seen)), lines, share };
}

function rowOf(line: string, number: number, keyColumns: readonly string[], seen: KeySet): Row | undefined {
  if (line.trim() === "" || line === "\ufeff") return undefined;
  const place = `line ${number}`;
  const values = valuesOf(line);
  if (!values) return { key: `(${place})`, place, values: {}, problem: NO_OBJECT };
  return { ...usableKey(joinKey(keyColumns.map((column) => values[column] ?? "")), number, "line", seen), place, values };
}

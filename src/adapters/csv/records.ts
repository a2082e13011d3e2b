import { isUtf8 } from "node:buffer";
import { createReadStream } from "node:fs";
import { stat } from "node:fs/promises";
import { Transform, type Readable } from "node:stream";
import { parse } from "csv-parse";
import { YoroshiError } from "../../core/index.js";
import { fileProblem } from "../../files/index.js";
import { rawCells } from "./raw-cells.js";
import { openBytes, type CsvStyle } from "./style.js";
import { fromWindows1252 } from "./windows-1252.js";

export interface Records<R = readonly string[]> {
  readonly records: readonly R[];
  /** Row number of the first of them; the header is row 1, as a spreadsheet counts. */
  readonly firstRow: number;
  /** How much of the file has been read, 0 to 1. */
  readonly share: number;
}

// Small enough that deciding about a chunk does not keep replies waiting, large enough for bulk look-ups.
const CHUNK_ROWS = 128;

const READ_BYTES = 32 * 1024;
/** For whoever wants the first rows only. */
export const FEW_BYTES = 4 * 1024;

/** A record, and on demand its cells as they stand in the file. */
export interface RawRecord {
  readonly record: readonly string[];
  source(): ReturnType<typeof rawCells>;
}

/** Streams a file's records, header included, some hundred at a time. `bytes` are read and parsed at a time. */
export const readRecords = (file: string, name: string, style: CsvStyle, bytes = READ_BYTES): AsyncGenerator<Records> =>
  streamed<readonly string[]>(file, name, style, { bytes, raw: false });

/** The same with each record as it stands in the file. */
export async function* readRawRecords(file: string, name: string, style: CsvStyle): AsyncGenerator<Records<RawRecord>> {
  for await (const { records, ...rest } of streamed<{ record: string[]; raw: string }>(file, name, style, {
    bytes: READ_BYTES,
    raw: true,
  })) {
    yield {
      ...rest,
      records: records.map(({ record, raw }) => ({
        record,
        source: () => rawCells(raw, style.delimiter, style.newline, record.at(-1) ?? ""),
      })),
    };
  }
}

async function* streamed<R>(
  file: string,
  name: string,
  style: CsvStyle,
  { bytes, raw }: { readonly bytes: number; readonly raw: boolean },
): AsyncGenerator<Records<R>> {
  const size = await stat(file).then(
    (found) => found.size,
    () => 0,
  );
  const source = createReadStream(file, { highWaterMark: bytes });
  // A file may mix line ends; a lone carriage return ends a row only where the first row ends so.
  const ends = style.newline === "\r" ? ["\r"] : ["\r\n", "\n"];
  const parser = parse({
    delimiter: style.delimiter,
    record_delimiter: ends,
    bom: true,
    relax_column_count: true,
    skip_empty_lines: false,
    raw,
    max_record_size: 64 * 1024 * 1024,
  });
  let failure: unknown;
  let ended = false;
  let wake: (() => void) | undefined;
  const nudge = (): void => wake?.();
  const fail = (error: unknown): void => {
    failure ??= error;
    nudge();
  };
  const text = decoded(source, style, fail);
  source.on("error", fail);
  parser
    .on("error", fail)
    .on("readable", nudge)
    .on("end", () => {
      ended = true;
      nudge();
    });
  text.pipe(parser);

  let records: R[] = [];
  let firstRow = 1;
  const take = (): Records<R> => {
    // Of the bytes that were read, some rows still wait in the parser.
    const given = firstRow - 1 + records.length;
    const read = size === 0 ? 1 : Math.min(1, source.bytesRead / size);
    const some = { records, firstRow, share: (read * given) / (given + parser.readableLength) };
    firstRow += records.length;
    records = [];
    return some;
  };
  try {
    for (;;) {
      for (let record = parser.read() as R | null; record !== null; record = parser.read() as R | null) {
        records.push(record);
        if (records.length >= CHUNK_ROWS) yield take();
      }
      if (failure !== undefined) throw problemOf(failure, name, parser.info);
      if (ended) break;
      await new Promise<void>((resolve) => (wake = resolve));
    }
    if (records.length > 0) yield take();
  } finally {
    source.destroy();
    text.destroy();
    parser.destroy();
  }
}

/** The file's bytes as UTF-8; broken UTF-8 is an error, not question marks in somebody's data. */
function decoded(source: Readable, style: CsvStyle, fail: (error: unknown) => void): Readable {
  if (style.encoding === "utf-8") {
    let rest: Buffer = Buffer.alloc(0);
    const check = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        const bytes = rest.length > 0 ? Buffer.concat([rest, chunk]) : chunk;
        const whole = bytes.subarray(0, bytes.length - openBytes(bytes));
        rest = Buffer.from(bytes.subarray(whole.length));
        done(isUtf8(whole) ? null : new NotUtf8(), whole);
      },
      flush(done) {
        done(rest.length === 0 || isUtf8(rest) ? null : new NotUtf8(), rest);
      },
    });
    check.on("error", fail);
    return source.pipe(check);
  }
  const decoder = style.encoding === "windows-1252" ? undefined : new TextDecoder(style.encoding);
  const decode = new Transform({
    transform: (chunk: Buffer, _encoding, done) => done(null, decoder ? decoder.decode(chunk, { stream: true }) : fromWindows1252(chunk)),
    flush: (done) => done(null, decoder?.decode() ?? ""),
  });
  decode.on("error", fail);
  return source.pipe(decode);
}

class NotUtf8 extends Error {}

const QUOTES: Record<string, string> = {
  CSV_QUOTE_NOT_CLOSED: "a quoted cell is opened and never closed. Close the quote, or double quotes that belong to the text.",
  CSV_INVALID_CLOSING_QUOTE: "a quote stands inside a quoted cell. Double quotes that belong to the text.",
  INVALID_OPENING_QUOTE: "a quote stands inside a cell that is not quoted. Put the whole cell in quotes and double the inner ones.",
  CSV_MAX_RECORD_SIZE: "one row is larger than 64 MB. A quote is probably not closed.",
};

function problemOf(
  error: unknown,
  name: string,
  { lines: line, records }: { readonly lines: number; readonly records: number },
): YoroshiError {
  if (error instanceof YoroshiError) return error;
  if (error instanceof NotUtf8)
    return new YoroshiError("tableBroken", {
      table: name,
      place: `near line ${line + 1}`,
      problem: "this is not UTF-8 text. Save the file as UTF-8 (or UTF-16 with a byte order mark).",
    });
  const { code, lines } = error as { code?: string; lines?: number };
  // The parser notices at the end of the file; what a person needs is where the quote was opened.
  if (code === "CSV_QUOTE_NOT_CLOSED")
    return new YoroshiError("tableBroken", { table: name, place: `row ${records + 1}`, problem: QUOTES[code]! });
  if (code !== undefined && QUOTES[code])
    return new YoroshiError("tableBroken", { table: name, place: `line ${lines ?? line}`, problem: QUOTES[code] });
  return new YoroshiError("fileUnreadable", { file: name, problem: fileProblem(error) }, { cause: error });
}

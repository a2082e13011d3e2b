import { isUtf8 } from "node:buffer";
import { createReadStream } from "node:fs";
import { open, stat } from "node:fs/promises";
import { YoroshiError } from "../../core/index.js";
import { fileProblem } from "../../files/index.js";
import { fromWindows1252 } from "./windows-1252.js";

/** How a file is written: kept when it is written again. */
export interface CsvStyle {
  readonly encoding: "utf-8" | "utf-16le" | "utf-16be" | "windows-1252";
  readonly byteOrderMark: boolean;
  readonly delimiter: string;
  readonly newline: "\n" | "\r\n" | "\r";
  /** Which cells are quoted: those that need it, all but numbers, or all. */
  readonly quotes: "needed" | "text" | "all";
  /** Of all but numbers: whether blank cells are quoted, too. */
  readonly quotesBlanks: boolean;
}

const DELIMITERS = [",", ";", "\t", "|"];
const HEAD_BYTES = 65_536;

/** Reads the style off the head of a file. Throws `fileUnreadable`, and `tableBroken` for an empty file. */
export async function readStyle(file: string, name: string): Promise<CsvStyle> {
  let head: Buffer;
  try {
    const handle = await open(file, "r");
    try {
      const { buffer, bytesRead } = await handle.read(Buffer.alloc(HEAD_BYTES), 0, HEAD_BYTES, 0);
      head = buffer.subarray(0, bytesRead);
    } finally {
      await handle.close();
    }
  } catch (error) {
    throw new YoroshiError("fileUnreadable", { file: name, problem: fileProblem(error) }, { cause: error });
  }
  const [marked, markLength] = encodingOf(head);
  const encoding = marked ?? ((await isUtf8File(file)) ? "utf-8" : "windows-1252");
  const text = encoding === "windows-1252" ? fromWindows1252(head) : new TextDecoder(encoding).decode(head.subarray(markLength));
  if (text.trim() === "")
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "row 1",
      problem: "the file is empty. It needs a first row with the columns' names.",
    });
  const delimiter = delimiterOf(text);
  return { encoding, byteOrderMark: markLength > 0, delimiter, newline: newlineOf(text), ...quotesOf(text, delimiter) };
}

/** The first line end that is not inside a quoted cell. */
function newlineOf(text: string): CsvStyle["newline"] {
  const outside = text.replace(/"(?:[^"]|"")*(?:"|$)/g, "");
  return (/\r\n|\n|\r/.exec(outside)?.[0] ?? "\n") as CsvStyle["newline"];
}

/** By the names in the first row, and whether any cell below has no quotes. */
function quotesOf(text: string, delimiter: string): Pick<CsvStyle, "quotes" | "quotesBlanks"> {
  const header = /^(?:"(?:[^"]|"")*"|[^"\r\n])*/.exec(text)?.[0] ?? "";
  const bare = (cells: string): string => cells.replace(/"(?:[^"]|"")*(?:"|$)/g, (cell) => (cell === '""' ? cell : '"x"'));
  const isQuoted = (cell: string): boolean => cell.startsWith('"');
  if (!bare(header).split(delimiter).every(isQuoted)) return { quotes: "needed", quotesBlanks: false };
  const cells = bare(text.slice(header.length))
    .split(/\r\n|\n|\r/)
    .filter((line) => line !== "")
    .flatMap((line) => line.split(delimiter));
  return { quotes: cells.every(isQuoted) ? "all" : "text", quotesBlanks: !cells.includes("") };
}

/** A text as a cell of a file of this style. */
export function quotedCell(text: string, { delimiter, quotes, quotesBlanks }: CsvStyle, isNumber = false): string {
  const needs = text.includes('"') || text.includes("\n") || text.includes("\r") || text.includes(delimiter);
  return needs || quotes === "all" || (quotes === "text" && !isNumber && (text !== "" || quotesBlanks))
    ? `"${text.replaceAll('"', '""')}"`
    : text;
}

/** The encoding that a byte order mark names, and the mark's length. */
function encodingOf(head: Buffer): [CsvStyle["encoding"] | undefined, number] {
  if (head[0] === 0xef && head[1] === 0xbb && head[2] === 0xbf) return ["utf-8", 3];
  if (head[0] === 0xff && head[1] === 0xfe) return ["utf-16le", 2];
  if (head[0] === 0xfe && head[1] === 0xff) return ["utf-16be", 2];
  return [undefined, 0];
}

/** What was found of a file as it was, so that a large one is not gone through again and again. */
const found = new Map<string, boolean>();

/**
 * Whether a file without a byte order mark is UTF-8 from its first byte to its last. Text in any other encoding that has
 * a letter beyond ASCII is practically never valid UTF-8.
 */
async function isUtf8File(file: string): Promise<boolean> {
  const { size, mtimeMs } = await stat(file);
  const key = `${file} ${size} ${mtimeMs}`;
  const known = found.get(key);
  if (known !== undefined) return known;
  let rest: Buffer = Buffer.alloc(0);
  let is = true;
  for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024 })) {
    const bytes = rest.length > 0 ? Buffer.concat([rest, chunk as Buffer]) : (chunk as Buffer);
    const whole = bytes.subarray(0, bytes.length - openBytes(bytes));
    rest = Buffer.from(bytes.subarray(whole.length));
    if (isUtf8(whole)) continue;
    is = false;
    break;
  }
  is &&= rest.length === 0 || isUtf8(rest);
  found.set(key, is);
  return is;
}

/** How many bytes at the end begin a character of UTF-8 that is not complete yet. */
export function openBytes(bytes: Buffer): number {
  for (let back = 1; back <= Math.min(3, bytes.length); back++) {
    const byte = bytes[bytes.length - back]!;
    if (byte >= 0xc0) return back < (byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : 2) ? back : 0;
    if (byte < 0x80) return 0;
  }
  return 0;
}

/** The separator that occurs most in the first row, quoted names left out. */
function delimiterOf(text: string): string {
  const header = (/^(?:"(?:[^"]|"")*"|[^"\r\n])*/.exec(text)?.[0] ?? "").replace(/"(?:[^"]|"")*"/g, "");
  const counts = DELIMITERS.map((delimiter) => header.split(delimiter).length - 1);
  const most = Math.max(...counts);
  return most === 0 ? "," : DELIMITERS[counts.indexOf(most)]!;
}

import { open } from "node:fs/promises";
import { YoroshiError } from "../../core/index.js";
import { fileProblem } from "./file-problem.js";

/** How a file is written: kept when it is written again. */
export interface CsvStyle {
  readonly encoding: "utf-8" | "utf-16le" | "utf-16be";
  readonly byteOrderMark: boolean;
  readonly delimiter: string;
  readonly newline: "\n" | "\r\n" | "\r";
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
  const [encoding, markLength] = encodingOf(head);
  const text = new TextDecoder(encoding).decode(head.subarray(markLength));
  if (text.trim() === "") throw new YoroshiError("tableBroken", { table: name, place: "row 1", problem: "the file is empty. It needs a first row with the columns' names." });
  return { encoding, byteOrderMark: markLength > 0, delimiter: delimiterOf(text), newline: (/\r\n|\n|\r/.exec(text)?.[0] ?? "\n") as CsvStyle["newline"] };
}

function encodingOf(head: Buffer): [CsvStyle["encoding"], number] {
  if (head[0] === 0xef && head[1] === 0xbb && head[2] === 0xbf) return ["utf-8", 3];
  if (head[0] === 0xff && head[1] === 0xfe) return ["utf-16le", 2];
  if (head[0] === 0xfe && head[1] === 0xff) return ["utf-16be", 2];
  return ["utf-8", 0];
}

/** The separator that occurs most in the first row, quoted names left out. */
function delimiterOf(text: string): string {
  const header = (/^(?:"(?:[^"]|"")*"|[^"\r\n])*/.exec(text)?.[0] ?? "").replace(/"(?:[^"]|"")*"/g, "");
  const counts = DELIMITERS.map((delimiter) => header.split(delimiter).length - 1);
  const most = Math.max(...counts);
  return most === 0 ? "," : DELIMITERS[counts.indexOf(most)]!;
}

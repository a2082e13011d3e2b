import { createReadStream } from "node:fs";
import { stat } from "node:fs/promises";
import { YoroshiError } from "../../core/index.js";
import { fileProblem } from "../../files/index.js";

/** Some lines of a file as they stand, line ends included. */
export interface Lines {
  readonly lines: readonly string[];
  /** Number of the first of them, from 1. */
  readonly first: number;
  /** How much of the file has been read, 0 to 1. */
  readonly share: number;
}

const CHUNK_LINES = 128;
const READ_BYTES = 64 * 1024;
/** A line that is longer than this is a file that is not JSON Lines. */
const MOST_LINE_CHARS = 64 * 1024 * 1024;

/** Streams a UTF-8 file's lines. Throws `fileUnreadable`, and `tableBroken` for what is not UTF-8. */
export async function* readLines(file: string, name: string): AsyncGenerator<Lines> {
  const size = await stat(file).then(
    (found) => found.size,
    () => 0,
  );
  const decoder = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });
  const source = createReadStream(file, { highWaterMark: READ_BYTES });
  let rest = "";
  let first = 1;
  let lines: string[] = [];
  const take = (share: number): Lines => {
    const some = { lines, first, share };
    first += lines.length;
    lines = [];
    return some;
  };
  try {
    for await (const chunk of source) {
      rest += decoder.decode(chunk as Buffer, { stream: true });
      if (rest.length > MOST_LINE_CHARS)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: `line ${first + lines.length}`,
          problem: "this line is longer than 64 MB. JSON Lines has one object on each line.",
        });
      for (let end = rest.indexOf("\n"), from = 0; ; from = end + 1, end = rest.indexOf("\n", from)) {
        if (end < 0) {
          rest = rest.slice(from);
          break;
        }
        lines.push(rest.slice(from, end + 1));
        if (lines.length >= CHUNK_LINES) yield take(size === 0 ? 1 : Math.min(1, source.bytesRead / size));
      }
    }
    rest += decoder.decode();
    if (rest !== "") lines.push(rest);
    if (lines.length > 0) yield take(1);
  } catch (error) {
    if (error instanceof YoroshiError) throw error;
    if (error instanceof TypeError)
      throw new YoroshiError("tableBroken", {
        table: name,
        place: `near line ${first + lines.length}`,
        problem: "this is not UTF-8 text. JSON is written in UTF-8.",
      });
    throw new YoroshiError("fileUnreadable", { file: name, problem: fileProblem(error) }, { cause: error });
  } finally {
    source.destroy();
  }
}

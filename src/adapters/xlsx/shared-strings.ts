import { type PackageFile, XmlScanner } from "../../files/parts/index.js";
import { unescapeCell } from "./cell-text.js";

const BLOCK_BYTES = 1 << 20;

/**
 * The workbook's shared texts, packed as UTF-8 in a few large blocks: as JavaScript strings, a million would take several times the
 * memory.
 */
export class SharedStrings {
  #blocks: { readonly base: number; readonly bytes: Buffer }[] = [];
  #block = Buffer.allocUnsafe(BLOCK_BYTES);
  #base = 0;
  #used = 0;
  #offsets = new Float64Array(1024);
  #count = 0;

  add(text: string): void {
    const most = text.length * 3;
    if (this.#used + most > this.#block.length) {
      this.#blocks.push({ base: this.#base, bytes: this.#block.subarray(0, this.#used) });
      this.#base += this.#used;
      this.#block = Buffer.allocUnsafe(Math.max(BLOCK_BYTES, most));
      this.#used = 0;
    }
    if (this.#count + 2 > this.#offsets.length) {
      const larger = new Float64Array(this.#offsets.length * 2);
      larger.set(this.#offsets);
      this.#offsets = larger;
    }
    this.#offsets[this.#count++] = this.#base + this.#used;
    this.#used += this.#block.write(text, this.#used, "utf8");
    this.#offsets[this.#count] = this.#base + this.#used;
  }

  /** `undefined` for a number that the workbook has no text for. */
  at(index: number): string | undefined {
    if (!(index >= 0 && index < this.#count)) return undefined;
    const from = this.#offsets[index]!;
    const to = this.#offsets[index + 1]!;
    if (from === to) return "";
    if (from >= this.#base) return this.#block.toString("utf8", from - this.#base, to - this.#base);
    let low = 0;
    for (let high = this.#blocks.length - 1; low < high;) {
      const middle = (low + high + 1) >> 1;
      if (this.#blocks[middle]!.base <= from) low = middle;
      else high = middle - 1;
    }
    const { base, bytes } = this.#blocks[low]!;
    return bytes.toString("utf8", from - base, to - base);
  }
}

export async function readSharedStrings(file: PackageFile, part: string | undefined): Promise<SharedStrings> {
  const strings = new SharedStrings();
  if (part === undefined || !file.has(part)) return strings;
  let text: string | undefined;
  let inText = false;
  /** Readings of words (furigana) are not part of them. */
  let inReading = 0;
  const scanner = new XmlScanner({
    open: ({ name, end }) => {
      if (name === "si") text = "";
      else if (name === "rPh") inReading++;
      else if (name === "t") inText = true;
      scanner.keepFrom = end;
    },
    close: (name) => {
      if (name === "t") inText = false;
      else if (name === "rPh") inReading--;
      else if (name === "si") {
        strings.add(unescapeCell(text ?? ""));
        text = undefined;
      }
    },
    text: (piece) => {
      if (inText && inReading === 0 && text !== undefined) text += piece;
    },
  });
  for await (const _ of file.scan(part, scanner));
  return strings;
}

import chardet from "chardet";
import { Unreadable } from "./limits.js";

/** Text of any encoding: by its mark, else UTF-8 where it is that, else what is named in it, else the likeliest. */
export function decodeText(bytes: Uint8Array, named?: string): string {
  const mark = MARKS.find(([own]) => own.every((byte, index) => bytes[index] === byte));
  if (mark) return new TextDecoder(mark[1]).decode(bytes);
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    // another encoding
  }
  for (const label of [named, chardet.detect(bytes) ?? undefined, "windows-1252"]) {
    if (label === undefined) continue;
    try {
      return new TextDecoder(label.toLowerCase()).decode(bytes);
    } catch {
      // not one that this platform knows
    }
  }
  throw new Unreadable("is text in an encoding that is not known here; save it as UTF-8");
}

const MARKS: readonly (readonly [readonly number[], string])[] = [
  [[0xef, 0xbb, 0xbf], "utf-8"],
  [[0xff, 0xfe], "utf-16le"],
  [[0xfe, 0xff], "utf-16be"],
];

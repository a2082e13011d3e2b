import type { SourceProblem } from "../../core/index.js";

/** How files begin that databases give as hexadecimal digits: PNG, JPEG, GIF, RIFF (WebP), PDF, ZIP. */
const BEGINNINGS = /^(?:89504e47|ffd8ff|47494638|52494646|25504446|504b0304)/i;
/** A name may be made of such digits, too, but not of so many. */
const LEAST_DIGITS = 32;

/** Bytes that stand in a cell themselves: a `data:` address, or a database's column of bytes; `undefined` where it holds a name. */
export function bytesIn(cell: string): { readonly bytes: Uint8Array } | SourceProblem | undefined {
  if (/^data:/i.test(cell)) {
    const found = /^data:[^,]*?(;base64)?,(.*)$/is.exec(cell);
    if (!found) return { problem: "is a `data:` address without a comma, so it holds nothing" };
    try {
      return { bytes: found[1] ? Buffer.from(found[2]!, "base64") : Buffer.from(decodeURIComponent(found[2]!)) };
    } catch {
      return { problem: "is a damaged `data:` address" };
    }
  }
  const digits = /^\\x((?:[0-9a-f]{2})+)$/i.exec(cell)?.[1] ?? (BEGINNINGS.test(cell) && cell.length >= LEAST_DIGITS ? cell : undefined);
  if (digits === undefined || digits.length % 2 === 1 || !/^[0-9a-f]+$/i.test(digits)) return undefined;
  return { bytes: Buffer.from(digits, "hex") };
}

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
    const [, isBase64, body] = found as unknown as [string, string | undefined, string]; // the groups of the expression
    if (isBase64) return { bytes: Buffer.from(body, "base64") };
    if (/%(?![0-9a-f]{2})/i.test(body)) return { problem: "is a damaged `data:` address" };
    return { bytes: percentDecoded(body) };
  }
  const digits = /^\\x((?:[0-9a-f]{2})+)$/i.exec(cell)?.[1] ?? (BEGINNINGS.test(cell) && cell.length >= LEAST_DIGITS ? cell : undefined);
  if (digits === undefined || digits.length % 2 === 1 || !/^[0-9a-f]+$/i.test(digits)) return undefined;
  return { bytes: Buffer.from(digits, "hex") };
}

/** Bytes as an address writes them (RFC 3986, 2.1): such that are no text, too. */
const percentDecoded = (text: string): Buffer => {
  const bytes = Buffer.from(text, "utf8").toString("latin1");
  return Buffer.from(
    bytes.replace(/%(..)/g, (_, digits: string) => String.fromCharCode(Number.parseInt(digits, 16))),
    "latin1",
  );
};

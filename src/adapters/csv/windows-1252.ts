/**
 * The characters of the bytes 0x80 to 0x9F as the WHATWG Encoding Standard has them; every other byte is its own code
 * point. Each byte has a character, so nothing is lost either way. (Node 20's own decoder takes this encoding for Latin-1.)
 */
const UPPER =
  "\u20ac\u0081\u201a\u0192\u201e\u2026\u2020\u2021\u02c6\u2030\u0160\u2039\u0152\u008d\u017d\u008f\u0090\u2018\u2019\u201c\u201d\u2022\u2013\u2014\u02dc\u2122\u0161\u203a\u0153\u009d\u017e\u0178";
const FIRST = 0x80;
const BYTES = new Map([...UPPER].map((character, index) => [character.charCodeAt(0), FIRST + index]));

export function fromWindows1252(bytes: Buffer): string {
  return bytes.toString("latin1").replace(/[\u0080-\u009f]/g, (character) => UPPER[character.charCodeAt(0) - FIRST]!);
}

/** A text in Windows-1252; `undefined` where it has a character that this encoding does not have. */
export function toWindows1252(text: string): Buffer | undefined {
  const bytes = Buffer.allocUnsafe(text.length);
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    const byte = code < FIRST || (code > 0x9f && code <= 0xff) ? code : BYTES.get(code);
    if (byte === undefined) return undefined;
    bytes[i] = byte;
  }
  return bytes;
}

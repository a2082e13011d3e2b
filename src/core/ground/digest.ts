import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";

/** SHA-256 (FIPS 180-4) of a text's UTF-8 bytes, as 64 hexadecimal digits; the same in Node and in a browser. */
export function sha256Hex(text: string): string {
  return bytesToHex(sha256(utf8ToBytes(text)));
}

const SHORT = 6;

/** Enough of a hash to tell one content of a thing from the next. */
export const shortHash = (text: string, sha256: (text: string) => string = sha256Hex): string => sha256(text).slice(0, SHORT);

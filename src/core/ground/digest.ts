import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";

/** SHA-256 (FIPS 180-4) of a text's UTF-8 bytes, as 64 hexadecimal digits; the same in Node and in a browser. */
export function sha256Hex(text: string): string {
  return bytesToHex(sha256(utf8ToBytes(text)));
}

/** FNV-1a, 32 bits in hexadecimal: enough to tell one content of a thing from the next, in a fraction of the time. */
export function quickHash(text: string): string {
  let value = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
  return (value >>> 0).toString(16);
}

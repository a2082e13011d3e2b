/** What a file is, by its bytes; its name decides only where bytes cannot. */
export type FileType =
  | "image/png"
  | "image/jpeg"
  | "image/webp"
  | "image/gif"
  | "application/pdf"
  | "application/vnd.openxmlformats-officedocument.wordprocessingml.document"
  | "application/vnd.oasis.opendocument.text"
  | "message/rfc822"
  | "text/html"
  | "text/markdown"
  | "text/plain";

export const DOCX: FileType = "application/vnd.openxmlformats-officedocument.wordprocessingml.document";
export const ODT: FileType = "application/vnd.oasis.opendocument.text";

/** The type of a file, or what it is that cannot be read, in words that go on from the file's name. */
export type TypeFound = { readonly type: FileType } | { readonly problem: string };

/** How many bytes of a file's beginning and end are looked at. */
export const HEAD_BYTES = 8_192;
export const TAIL_BYTES = 65_536;

const latin = (bytes: Uint8Array): string => Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString("latin1");

/** @param name of the file, with its ending; may be empty. */
export function typeOf(head: Uint8Array, tail: Uint8Array, name: string): TypeFound {
  if (head.length === 0) return { problem: "is an empty file" };
  const start = latin(head.subarray(0, 32));
  if (start.startsWith("\x89PNG\r\n\x1a\n")) return { type: "image/png" };
  if (start.startsWith("\xff\xd8\xff")) return { type: "image/jpeg" };
  if (start.startsWith("RIFF") && start.slice(8, 12) === "WEBP") return { type: "image/webp" };
  if (/^GIF8[79]a/.test(start)) return { type: "image/gif" };
  const text = latin(head);
  if (text.slice(0, 1024).includes("%PDF-")) return { type: "application/pdf" };
  if (start.startsWith("PK\x03\x04")) return zipType(text, latin(tail));
  if (start.startsWith("PK\x05\x06")) return { problem: "is an empty archive" };
  if (BOXED.test(start.slice(4))) return { problem: "is a HEIC or AVIF picture; save it as JPEG or PNG" };
  // Two letters alone may be the beginning of a text.
  const isText = !head.includes(0);
  const foreign = FOREIGN.find(([begins]) => begins.some((one) => start.startsWith(one) && (one !== "BM" || !isText)));
  if (foreign) return { problem: foreign[1] };
  return textType(text, name);
}

/** What one meets and cannot read: how it begins, and what is to be done. */
const FOREIGN: readonly (readonly [readonly string[], string])[] = [
  [["\xd0\xcf\x11\xe0"], "is an encrypted or an old office document; save it as DOCX, ODT or PDF without a password"],
  [["II*\0", "MM\0*"], "is a TIFF picture; save it as PNG or PDF"],
  [["BM"], "is a BMP picture; save it as PNG"],
  [["{\\rtf"], "is rich text (RTF); save it as DOCX, ODT or PDF"],
  [["\x1f\x8b"], "is a compressed file; unpack it first"],
  [["7z\xbc\xaf", "Rar!"], "is an archive; unpack it first"],
];

/** Pictures whose mark stands behind the length of their first box. */
const BOXED = /^ftyp(heic|heix|heif|mif1|avif)/;

function zipType(head: string, tail: string): TypeFound {
  const all = head + tail;
  if (/mimetypeapplication\/vnd\.oasis\.opendocument\.text(?!-)/.test(head)) return { type: ODT };
  if (all.includes("word/document.xml") || all.includes("word/")) return { type: DOCX };
  if (all.includes("xl/workbook") || /opendocument\.spreadsheet/.test(head))
    return { problem: "is a workbook; name it as a table, not as a document" };
  return { problem: "is an archive, and no DOCX or ODT; unpack it first" };
}

const HEADER =
  /^(?:Received|Return-Path|Message-ID|MIME-Version|Delivered-To|From|To|Subject|Date|Reply-To|X-[\w-]+|DKIM-Signature|Content-Type):/im;

function textType(text: string, name: string): TypeFound {
  const ending = /\.(\w+)$/.exec(name)?.[1]?.toLowerCase() ?? "";
  // UTF-16 has a mark, or it is taken for bytes.
  const isWide = /^(\xff\xfe|\xfe\xff)/.test(text);
  if (text.includes("\0") && !isWide) return { problem: "is a file of bytes that is neither a document nor a picture known here" };
  const first = text.replace(/^\xef\xbb\xbf/, "").trimStart();
  if (/^<svg[\s>]/i.test(first) || (first.startsWith("<?xml") && /<svg[\s>]/i.test(first.slice(0, 1024))))
    return { problem: "is an SVG drawing; save it as PNG" };
  if (/^(<!--[\s\S]*?-->\s*)?<(!doctype html|html|head|body)[\s>]/i.test(first) || /^html?$/.test(ending)) return { type: "text/html" };
  if (ending === "eml" || (HEADER.test(first.split("\n", 1)[0] ?? "") && /^(From|Received|Return-Path|Message-ID):/im.test(first)))
    return { type: "message/rfc822" };
  return { type: /^(md|markdown)$/.test(ending) ? "text/markdown" : "text/plain" };
}

export const isPicture = (type: string): boolean => type.startsWith("image/");

import { zipSync } from "fflate";
import { escapeAttribute } from "../../files/parts/index.js";
import { paragraphsOf } from "./paragraphs.js";
import { prefixesOf } from "./names.js";

const MIME = "application/vnd.oasis.opendocument.spreadsheet";
const ODF = "urn:oasis:names:tc:opendocument:xmlns";
const HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n';
const ROOT = `<office:document-content xmlns:office="${ODF}:office:1.0" xmlns:style="${ODF}:style:1.0" xmlns:text="${ODF}:text:1.0" xmlns:table="${ODF}:table:1.0" xmlns:number="${ODF}:datastyle:1.0" office:version="1.3">`;

/** The bytes of a new document with one sheet that has the names of its columns, and no rows yet. */
export function newDocument(sheet: string, columns: readonly string[]): Uint8Array {
  const prefixes = prefixesOf({ name: "", qualified: "office:document-content", source: ROOT, start: 0, end: 0, selfClosing: false });
  const cells = columns.map((name) => `<table:table-cell office:value-type="string">${paragraphsOf(name, prefixes)}</table:table-cell>`);
  const encoder = new TextEncoder();
  const parts = {
    "META-INF/manifest.xml": `${HEAD}<manifest:manifest xmlns:manifest="${ODF}:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="${MIME}"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>`,
    "content.xml": `${HEAD}${ROOT}<office:automatic-styles/><office:body><office:spreadsheet><table:table table:name="${escapeAttribute(sheet)}"><table:table-column table:number-columns-repeated="${columns.length}"/><table:table-row>${cells.join("")}</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>`,
  };
  return zipSync({
    // First, and not packed, so that the file's kind shows in its first bytes (OpenDocument 1.3 part 2, 3.3).
    mimetype: [encoder.encode(MIME), { level: 0 }],
    ...Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, encoder.encode(text)])),
  });
}

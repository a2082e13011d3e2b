import { Unzip, UnzipInflate, unzipSync } from "fflate";
import mammoth from "mammoth";
import { SaxesParser } from "saxes";
import { htmlText } from "./html.js";
import { MOST_UNPACKED, Unreadable } from "./limits.js";

const PIECE = 4_096;

/** What a packed document comes to, counted while it is unpacked in small pieces and thrown away. */
export function checkUnpacked(bytes: Uint8Array): void {
  let total = 0;
  let isDamaged = false;
  const unzip = new Unzip((file) => {
    file.ondata = (error, data) => {
      // What is thrown here would be told to this function itself.
      if (error) isDamaged = true;
      else total += data.length;
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  for (let from = 0; from < bytes.length && total <= MOST_UNPACKED && !isDamaged; from += PIECE) {
    try {
      unzip.push(bytes.subarray(from, from + PIECE), from + PIECE >= bytes.length);
    } catch {
      isDamaged = true;
    }
  }
  if (isDamaged) throw new Unreadable("is a damaged or an encrypted archive");
  if (total > MOST_UNPACKED) throw new Unreadable(`comes to more than ${MOST_UNPACKED / 1024 / 1024} MB once it is unpacked`);
}

export async function docxText(bytes: Uint8Array): Promise<string> {
  checkUnpacked(bytes);
  try {
    const { value } = await mammoth.convertToHtml(
      { buffer: Buffer.from(bytes) },
      { convertImage: mammoth.images.imgElement(async () => ({ src: "" })) },
    );
    return htmlText(value);
  } catch (error) {
    if (error instanceof Unreadable) throw error;
    throw new Unreadable("is a damaged Word document", { cause: error });
  }
}

const BLOCKS = new Set(["text:p", "text:h"]);

/** The words of an OpenDocument text: a line for each paragraph, cells of a table row beside each other. */
export function odtText(bytes: Uint8Array): string {
  checkUnpacked(bytes);
  const content = unzipSync(bytes, { filter: ({ name }) => name === "content.xml" })["content.xml"];
  if (!content) throw new Unreadable("is a damaged OpenDocument text: it has no content");
  const xml = new TextDecoder().decode(content);
  if (/<!DOCTYPE|<!ENTITY/i.test(xml)) throw new Unreadable("declares entities of its own, which are not read");
  const lines: string[] = [];
  let line = "";
  let row: string[] | undefined;
  let depth = 0;
  let skip = 0;
  const parser = new SaxesParser();
  parser.on("opentag", ({ name, attributes }) => {
    if (name === "office:annotation" || name === "text:tracked-changes" || name === "text:note-citation") skip++;
    if (skip > 0) return;
    if (name === "table:table-row" && ++depth === 1) row = [];
    if (name === "text:tab") line += "\t";
    if (name === "text:line-break") line += "\n";
    if (name === "text:s") line += " ".repeat(Math.min(100, Number(attributes["text:c"] ?? 1)));
    if (name === "text:h") line += `${"#".repeat(Math.min(6, Number(attributes["text:outline-level"] ?? 1)))} `;
    if (name === "text:list-item") line += "- ";
  });
  parser.on("text", (text) => {
    if (skip === 0) line += text;
  });
  parser.on("closetag", ({ name }) => {
    if (name === "office:annotation" || name === "text:tracked-changes" || name === "text:note-citation") skip--;
    if (skip > 0) return;
    if (name === "table:table-cell" && row) {
      row.push(line.trim());
      line = "";
    } else if (name === "table:table-row" && --depth === 0) {
      lines.push(`| ${row!.join(" | ")} |`);
      row = undefined;
    } else if (BLOCKS.has(name)) {
      if (row) line += " ";
      else {
        lines.push(line);
        line = "";
      }
    }
  });
  try {
    parser.write(xml).close();
  } catch {
    throw new Unreadable("is a damaged OpenDocument text");
  }
  return lines
    .join("\n")
    .replace(/\n{3,}/g, "\n\n")
    .trim();
}

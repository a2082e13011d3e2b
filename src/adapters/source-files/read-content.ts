import type { Opened } from "../../core/index.js";
import { decodeText } from "./decode.js";
import { MOST_CHARS, Unreadable } from "./limits.js";
import { chosenPages, readPdf } from "./pdf.js";
import { readyPicture } from "./pictures.js";
import type { ReadHow } from "./read-how.js";
import { DOCX, isPicture, ODT } from "./type-of.js";

const words = (text: string): Opened => {
  if (text.length > MOST_CHARS) throw new Unreadable(`has more than ${MOST_CHARS / 1e6} million characters`);
  return { pages: text.trim() === "" ? [] : [{ text: text.trim() }], pictures: [], notes: [] };
};

/**
 * What a file holds, as an input wants it.
 *
 * @throws Unreadable for what is wrong with the file.
 */
export async function readContent(bytes: Uint8Array, type: string, how: ReadHow): Promise<Opened> {
  // A picture is a document of one page, too: a receipt that was photographed instead of scanned.
  if (isPicture(type)) return { pages: [], pictures: [await readyPicture(bytes, type, how.longestSide)], notes: [] };
  if (how.picturesOnly) throw new Unreadable("is no picture");
  const opened =
    how.page && type === "text/html"
      ? (await import("./main-text.js")).mainText(bytes, how.page.charset, how.page.address)
      : await documentContent(bytes, type, how);
  if (opened.pages.length === 0 && opened.pictures.length === 0) throw new Unreadable("holds no text and no picture");
  return opened;
}

/** What reads a kind of document is loaded when one is met: a process that reads pictures alone needs none of it. */
async function documentContent(bytes: Uint8Array, type: string, how: ReadHow): Promise<Opened> {
  switch (type) {
    case "application/pdf":
      return readPdf(bytes, how, (count) => chosenPages(count, how.ranges, how.maxPages));
    case DOCX:
      return words(await (await import("./office.js")).docxText(bytes));
    case ODT:
      return words((await import("./office.js")).odtText(bytes));
    case "text/html":
      return words(await htmlWords(bytes));
    case "message/rfc822":
      return (await import("./email.js")).emailContent(bytes, how, readContent);
    default:
      return words(decodeText(bytes));
  }
}

async function htmlWords(bytes: Uint8Array): Promise<string> {
  const { charsetIn, htmlText } = await import("./html.js");
  return htmlText(decodeText(bytes, charsetIn(bytes)));
}

import { attribute, escapeText, type Tag } from "../../files/parts/index.js";
import type { Prefixes } from "./names.js";

/** Takes in what stands in a paragraph, tag by tag. */
export interface TextReader {
  open(tag: Tag, prefixes: Prefixes): void;
  close(): void;
  write(text: string): void;
  text(): string;
}

/** What may stand in a paragraph and is not its text. */
const ASIDE = new Set(["annotation", "note", "ruby-text", "frame", "script", "forms"]);

/**
 * A paragraph as text: `s`, `tab` and `line-break` are what they say, and line ends of the file are blanks (OpenDocument 1.3 part 3, 6.1).
 * Several blanks side by side would be one by the letter; spreadsheet programs write all of them in texts of several lines, and mean it.
 */
export function textReader(): TextReader {
  let text = "";
  let depth = 0;
  let asideFrom = 0;
  return {
    open(tag, prefixes) {
      depth++;
      if (asideFrom > 0) return;
      if (ASIDE.has(tag.name)) asideFrom = depth;
      else if (tag.qualified === `${prefixes.text}:s`) text += " ".repeat(Math.min(MOST_BLANKS, Number(attribute(tag, "c") ?? 1)));
      else if (tag.qualified === `${prefixes.text}:tab`) text += "\t";
      else if (tag.qualified === `${prefixes.text}:line-break`) text += "\n";
    },
    close() {
      if (asideFrom === depth) asideFrom = 0;
      depth--;
    },
    write(piece) {
      if (asideFrom > 0 || piece === "") return;
      const own = text === "" ? piece.replace(/^ *[\t\r\n]\s*/, "") : piece;
      text += own.replace(/ *[\t\r\n]\s*/g, " ");
    },
    text: () => text,
  };
}

/** More than a text has, and less than fills the memory. */
const MOST_BLANKS = 10_000;

/** Control characters, what is no character, and halves of surrogate pairs. */
const NOT_IN_XML = /(?!\n)[\p{Cc}\ufffe\uffff]|\p{Cs}/gu;

/**
 * The text that can stand in a cell: line ends are one character, a tab is a blank, for spreadsheet programs drop it from cells, and
 * what XML cannot hold is shown as a mark.
 */
export const storable = (text: string): string => text.replace(/\r\n?/g, "\n").replaceAll("\t", " ").replace(NOT_IN_XML, "\ufffd");

/** A storable text as paragraphs, one for each line. */
export function paragraphsOf(text: string, { text: prefix }: Prefixes): string {
  return text
    .split("\n")
    .map((line) => {
      const escaped = escapeText(line);
      const inner = escaped.replace(/^ +| {2,}| +$/g, (blanks, at: number) => {
        // A blank between words stands for itself; at an end, and behind another one, it is written out.
        const own = at > 0 && at + blanks.length < escaped.length ? 1 : 0;
        const rest = blanks.length - own;
        return `${" ".repeat(own)}<${prefix}:s${rest > 1 ? ` ${prefix}:c="${rest}"` : ""}/>`;
      });
      return `<${prefix}:p>${inner}</${prefix}:p>`;
    })
    .join("");
}

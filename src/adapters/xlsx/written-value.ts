import type { CellOut, CellType, TargetColumn } from "../../core/index.js";
import { typedValue, type BroughtCell } from "../../files/index.js";
import { columnLetters, escapeText } from "../../files/parts/index.js";
import { type DateSystem, escapeCell, serialOf, serialText } from "./cell-text.js";
import type { NumberFormat } from "./styles.js";

/** The most characters of a cell, by the file format. */
const MOST_CHARS = 32_767;

/** A value in the form that its cell takes. */
export type WrittenValue =
  { readonly text: string } | { readonly number: number } | { readonly serial: number } | { readonly yes: boolean };

export function valueOf(target: TargetColumn, cell: CellOut, dates: DateSystem): WrittenValue {
  const value = typedValue(target, cell);
  const serial = "day" in value ? serialOf(value.day, dates) : undefined;
  if (serial !== undefined) return { serial };
  if (!("day" in value || "text" in value)) return value;
  const text = "day" in value ? value.day : value.text;
  return { text: text.length > MOST_CHARS ? `${text.slice(0, MOST_CHARS - 1)}…` : text };
}

/** A cell of another sheet, as `rowSources` told of it. */
export function broughtValue({ text, source = "" }: BroughtCell): WrittenValue {
  const [type, value] = [source.slice(0, source.indexOf(" ")), source.slice(source.indexOf(" ") + 1)];
  if (type === "number" && Number.isFinite(Number(value))) return { number: Number(value) };
  if (type === "day" && Number.isFinite(Number(value))) return { serial: Number(value) };
  return type === "yes" ? { yes: value === "true" } : { text };
}

/** The text that is read from a cell once a value stands in it. */
export function writtenText(target: TargetColumn, cell: CellOut, dates: DateSystem): string {
  return shownText(valueOf(target, cell, dates), dates);
}

export function shownText(value: WrittenValue, dates: DateSystem): string {
  if ("text" in value) return value.text;
  if ("serial" in value) return serialText(value.serial, dates);
  return "number" in value ? String(value.number) : String(value.yes);
}

export function formatOf(type: CellType | undefined): NumberFormat {
  return type === "date" || type === "dateTime" ? type : "general";
}

/** A cell as it stands in a sheet's part. */
export function cellSource(prefix: string, column: number, row: number, style: number, value: WrittenValue): string {
  const start = `<${prefix}c r="${columnLetters(column)}${row}"${style === 0 ? "" : ` s="${style}"`}`;
  if ("number" in value || "serial" in value)
    return `${start}><${prefix}v>${"number" in value ? value.number : value.serial}</${prefix}v></${prefix}c>`;
  if ("yes" in value) return `${start} t="b"><${prefix}v>${value.yes ? 1 : 0}</${prefix}v></${prefix}c>`;
  if (value.text === "") return `${start}/>`;
  const keepSpace = /^\s|\s$|[\n\t]| {2}/.test(value.text) ? ' xml:space="preserve"' : "";
  return `${start} t="inlineStr"><${prefix}is><${prefix}t${keepSpace}>${escapeText(escapeCell(value.text))}</${prefix}t></${prefix}is></${prefix}c>`;
}

import { typedValue, type BroughtCell, type TypedValue } from "../../files/index.js";
import type { CellOut, TargetColumn } from "../../core/index.js";
import { attribute, escapeAttribute } from "../../files/parts/index.js";
import type { CellPiece } from "./content-pieces.js";
import type { Prefixes } from "./names.js";
import { paragraphsOf, storable } from "./paragraphs.js";

/** A value as a cell holds it; `time` is a length of time as ISO 8601, `PT08H30M00S`. */
export type CellValue = TypedValue | { readonly time: string };

/** A cell's formula, as it stands. */
export const formulaOf = ({ tag }: CellPiece): string | undefined => attribute(tag, "formula");

/** A formula that fills several cells at once. */
export const isArray = ({ tag }: CellPiece): boolean => attribute(tag, "number-matrix-columns-spanned") !== undefined;

/** Neither a value nor a text stands in it. */
export const isBlank = (cell: CellPiece): boolean => cell.text === undefined && attribute(cell.tag, "value-type") === undefined;

export const isUncalculated = (cell: CellPiece): boolean => isBlank(cell) && formulaOf(cell) !== undefined;

/** What stands in a cell, as text: a formula's calculated value, days and times as ISO 8601, numbers in their shortest form. */
export function cellText(cell: CellPiece): string {
  const { tag, text = "" } = cell;
  // `calcext` says so of a formula that failed; what it shows is its value.
  if (tag.source.includes(':value-type="error"')) return text;
  switch (attribute(tag, "value-type")) {
    case "float":
    case "percentage":
    case "currency": {
      const value = attribute(tag, "value") ?? "";
      return value.trim() === "" ? text : String(Number(value));
    }
    case "date":
      return dayText(attribute(tag, "date-value") ?? text);
    case "time":
      return timeText(attribute(tag, "time-value") ?? text);
    case "boolean":
      return attribute(tag, "boolean-value") ?? text;
    default:
      return attribute(tag, "string-value") ?? text;
  }
}

/** Without a time of midnight, and without seconds that are none. */
const dayText = (value: string): string =>
  value
    .replace(/(T\d\d:\d\d:\d\d)\.\d+$/, "$1")
    .replace(/T00:00(:00)?$/, "")
    .replace(/(T\d\d:\d\d):00$/, "$1");

/** `PT08H30M00S` as `08:30`; what is no such length stays. */
function timeText(value: string): string {
  const found = /^PT(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,]\d+)?S)?$/.exec(value);
  if (!found) return value;
  const [hours, minutes, seconds] = [1, 2, 3].map((at) => (found[at] ?? "0").padStart(2, "0"));
  return seconds === "00" ? `${hours}:${minutes}` : `${hours}:${minutes}:${seconds}`;
}

/** What stands in a cell with its type, for another file to take over; `undefined` for a text. */
export function cellSource({ tag }: CellPiece): string | undefined {
  const type = attribute(tag, "value-type");
  if (type === "float" || type === "percentage" || type === "currency") return `number ${attribute(tag, "value") ?? ""}`;
  if (type === "date") return `day ${attribute(tag, "date-value") ?? ""}`;
  if (type === "time") return `time ${attribute(tag, "time-value") ?? ""}`;
  return type === "boolean" ? `yes ${attribute(tag, "boolean-value") ?? ""}` : undefined;
}

/** A cell of another file, as `cellSource` told of it. */
export function broughtValue({ text, source = "" }: BroughtCell): CellValue {
  const at = source.indexOf(" ");
  const [type, value] = [source.slice(0, at), source.slice(at + 1)];
  if (type === "number" && value !== "" && Number.isFinite(Number(value))) return { number: Number(value) };
  if (type === "day" && value !== "") return { day: value };
  if (type === "time" && value !== "") return { time: value };
  return type === "yes" ? { yes: value === "true" } : { text: storable(text) };
}

export function valueOf(target: TargetColumn, cell: CellOut): CellValue {
  const value = typedValue(target, cell);
  return "text" in value ? { text: storable(value.text) } : value;
}

/** The text that is read from a cell once a value stands in it. */
export function shownText(value: CellValue): string {
  if ("text" in value) return value.text;
  if ("day" in value) return dayText(value.day);
  if ("time" in value) return timeText(value.time);
  return String("number" in value ? value.number : value.yes);
}

/** The attributes of a cell that say what stands in it. */
export function valueAttributes(value: CellValue, { office }: Prefixes): string {
  const typed = (type: string, name: string, text: string | number | boolean): string =>
    ` ${office}:value-type="${type}" ${office}:${name}="${escapeAttribute(String(text))}"`;
  if ("number" in value) return typed("float", "value", value.number);
  if ("day" in value) return typed("date", "date-value", value.day);
  if ("time" in value) return typed("time", "time-value", value.time);
  if ("yes" in value) return typed("boolean", "boolean-value", value.yes);
  return value.text === "" ? "" : ` ${office}:value-type="string"`;
}

/** What a cell shows until a spreadsheet program shows it in its own way. */
export const valueParagraphs = (value: CellValue, prefixes: Prefixes): string =>
  "text" in value && value.text === "" ? "" : paragraphsOf(shownText(value), prefixes);

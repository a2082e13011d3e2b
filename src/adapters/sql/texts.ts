import { Big } from "big.js";
import { wellFormed, type CellOut, type CellValue } from "../../core/index.js";
import type { Database } from "./database.js";
import type { SqlColumn } from "./dialect.js";

/** A value that stands, in the one form that `writtenText` gives, too. */
export function standingText({ dialect }: Database, column: SqlColumn, value: unknown): string {
  const text = dialect.textOf(value, column);
  if (text === "") return "";
  switch (column.class) {
    case "decimal":
      return plainDecimal(text);
    case "float":
    case "single":
      return floatText(column, Number(text));
    case "dateTime":
      // The zone is the session's own; what was written had none.
      return text.replace(/([+-]\d\d:\d\d|Z)$/, "").replace(/:00(\.0+)?$/, "");
    default:
      return text;
  }
}

/** The text that stands once a value is written into a column. */
export function writtenText(column: SqlColumn, value: CellValue): string {
  const text = wellFormed(String(value)).replaceAll("\0", "\ufffd");
  if (text === "") return "";
  switch (column.class) {
    case "boolean":
      return /^(yes|true)$/i.test(text) ? "true" : /^(no|false)$/i.test(text) ? "false" : text;
    case "decimal":
      return isNumber(text)
        ? plainDecimal(column.scale === undefined ? text : new Big(text).round(column.scale, Big.roundHalfUp).toFixed())
        : text;
    case "float":
    case "single":
      return isNumber(text) ? floatText(column, Number(text)) : text;
    case "padded":
      return text.trimEnd();
    case "dateTime":
      return text.replace(" ", "T").replace(/:00(\.0+)?$/, (zeros, _, at) => (at > 13 ? "" : zeros));
    default:
      return text;
  }
}

const isNumber = (text: string): boolean => /^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?$/i.test(text.trim());
const plainDecimal = (text: string): string => (isNumber(text) ? new Big(text).toFixed() : text);
/** Six digits are what a single float holds for certain. */
const floatText = (column: SqlColumn, value: number): string =>
  String(column.class === "single" ? Number(Math.fround(value).toPrecision(6)) : value);

/** The text of what goes into a cell. */
export function outText(column: SqlColumn, cell: CellOut): string {
  return typeof cell === "object" ? cell.asIs : writtenText(column, cell);
}

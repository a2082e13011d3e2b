import type { Row } from "./table.js";

/** What a cell may be given as in code. */
export type CellGiven = string | number | boolean | bigint | Date | null | undefined;

/**
 * A cell's value as text: numbers and true or false as they are written in code, dates as ISO 8601.
 *
 * @returns the text, `undefined` where there is no cell, or what is wrong with the value.
 */
export function cellText(value: unknown): string | undefined | { readonly problem: string } {
  if (typeof value === "string" || value === undefined) return value;
  if (value === null) return "";
  if (typeof value === "boolean" || typeof value === "bigint" || (typeof value === "number" && Number.isFinite(value)))
    return String(value);
  if (value instanceof Date && !Number.isNaN(value.getTime())) return value.toISOString();
  const what = Array.isArray(value)
    ? "a list"
    : typeof value === "object"
      ? value instanceof Date
        ? "no valid date"
        : "an object"
      : typeof value === "number"
        ? String(value)
        : `a ${typeof value}`;
  return { problem: `holds ${what}; a cell is text, a number, true or false, or a date` };
}

/** A value as a cell shows it: true and false as yes and no, nothing as "". */
export const shownCell = (value: unknown): string =>
  value === undefined || value === null ? "" : typeof value === "boolean" ? (value ? "yes" : "no") : String(value);

/** The same row with nothing but text in its cells; what is none spoils the row, with the column that holds it. */
export function textRow(row: Row): Row {
  let values: Record<string, string> | undefined;
  let problem = row.problem;
  for (const column in row.values) {
    if (typeof row.values[column] === "string") continue;
    const text = cellText(row.values[column]);
    values ??= { ...row.values };
    if (typeof text === "string") values[column] = text;
    else delete values[column];
    if (typeof text === "object") problem ??= `\`${column}\` ${text.problem}`;
  }
  return values ? { ...row, values, ...(problem === undefined ? {} : { problem }) } : row;
}

import type { CellOut, TargetColumn } from "../core/index.js";

/** A value in the form that a typed cell takes. */
export type TypedValue = { readonly text: string } | { readonly number: number } | { readonly yes: boolean } | { readonly day: string };

/** A day, or a day and time, as ISO 8601. */
const DAY = /^\d{4}-\d\d-\d\d(?:T\d\d:\d\d(?::\d\d)?)?$/;

/** What is filled, for files whose cells have types: a person's own number is a number, a day in a column of days a day. */
export function typedValue({ type = "text" }: TargetColumn, cell: CellOut): TypedValue {
  if (typeof cell === "number") return { number: cell };
  if (typeof cell === "boolean") return { yes: cell };
  const text = typeof cell === "object" ? cell.asIs : cell;
  if (type === "date" || type === "dateTime") return DAY.test(text) ? { day: text } : { text };
  if (type !== "text" && type !== "yesNo" && text.trim() !== "" && String(Number(text)) === text) return { number: Number(text) };
  return { text };
}

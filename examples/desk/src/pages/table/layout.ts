import type { CallReport } from "yoroshi/client";
import type { TableSearch } from "./search.js";

type Page = CallReport<"readRows">;
export type Column = Page["columns"][number];
export type Row = Page["page"][number];

/** A column as it is laid out. */
export interface Laid {
  readonly column: Column;
  /** Its place among the row's values. */
  readonly at: number;
  readonly width: number;
  /** Where it stays when the table is scrolled sideways; `undefined` where it goes along. */
  readonly left?: number | undefined;
  /** Numbers and the like, set in the figures' type. */
  readonly isFigure: boolean;
}

export interface Layout {
  readonly laid: readonly Laid[];
  readonly width: number;
}

const CHAR = 7.4;
const SIGN = 15;
const ROOM = 12;
const LEAST = 52;
const MOST = 230;
const LONG_CHARS = 30;
const LONG_LEAST = 132;
const SAMPLE = 120;
/** How high every row is but the one in hand. */
export const ROW = 29;
/** The tick before the first column. */
export const TICK = 26;

/** Which columns are shown, in which order, how wide: short ones as they need, what is left goes to texts. */
export function layOut(columns: readonly Column[], rows: readonly Row[], room: number, search: TableSearch): Layout {
  const hidden = new Set(search.hidden);
  const pinned = search.pinned ?? [];
  const order = search.order ?? [];
  const placeOf = ({ name }: Column, at: number): number => {
    const pin = pinned.indexOf(name);
    if (pin >= 0) return pin - 10_000;
    const own = order.indexOf(name);
    return own >= 0 ? own : order.length + at;
  };
  const shown = columns
    .map((column, at) => ({ column, at }))
    .filter(({ column }) => !hidden.has(column.name))
    .sort((a, b) => placeOf(a.column, a.at) - placeOf(b.column, b.at));
  const sample = rows.slice(0, SAMPLE);
  const wanted = shown.map(({ column, at }) => {
    const lengths = sample
      .map(({ values, states }) => Math.max(values[at]?.length ?? 0, states[column.name]?.held?.length ?? 0))
      .sort((a, b) => a - b);
    const usual = lengths[Math.floor(lengths.length * 0.95)] ?? 0;
    const head = column.name.length * CHAR + ROOM + 6;
    const own = usual * CHAR + ROOM + (column.filled ? SIGN : 0);
    const texts = sample.map(({ values, states }) => states[column.name]?.held ?? values[at] ?? "").filter((text) => text !== "");
    const isFigure = texts.length > 0 && texts.every((text) => /^-?[\d.,:/\- ]*$/.test(text));
    return {
      long: usual > LONG_CHARS,
      width: Math.min(MOST, Math.max(LEAST, head + (column.filled ? SIGN : 0), own)),
      chars: usual,
      isFigure,
    };
  });
  const fixed = wanted.reduce((sum, { long, width }) => sum + (long ? 0 : width), TICK);
  const weight = wanted.reduce((sum, { long, chars }) => sum + (long ? Math.sqrt(chars) : 0), 0);
  const rest = Math.max(0, room - fixed);
  let left = TICK;
  const laid = shown.map(({ column, at }, index): Laid => {
    const { long, width, chars, isFigure } = wanted[index]!;
    const own = long ? Math.max(LONG_LEAST, Math.floor((rest * Math.sqrt(chars)) / weight)) : Math.round(width);
    const isPinned = pinned.includes(column.name);
    const one = { column, at, width: own, isFigure, ...(isPinned ? { left } : {}) };
    left += own;
    return one;
  });
  return { laid, width: left };
}

import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";
import { relativeDay } from "./relative-day.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    /** ISO 8601: `2026-03-04`, with `time: true` `2026-03-04T08:15`. */
    date: string;
  }
  interface KindSpecs {
    date: DateSpec;
  }
}

export interface DateSpec extends AnySpec {
  readonly kind: "date";
  /** Whether the time of day belongs to it. Default false. */
  readonly time?: boolean | undefined;
  /**
   * From which day words such as `tomorrow` or `next Friday` are counted: `today`, the run's day in the project's time
   * zone, or the name of an input with a date, or of a column of an input with rows, whose last row counts
   * (`thread.at`). Not given: such words are no date.
   */
  readonly relativeTo?: string | undefined;
  /** The day itself, ISO 8601; set for each row, never written by a person. */
  readonly base?: string | undefined;
}

const MONTHS = ["january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"];

export const date: Kind<DateSpec, string> = {
  kind: "date",
  summary: "A calendar day, YYYY-MM-DD (ISO 8601), or a day and time, YYYY-MM-DDTHH:MM.",
  keys: { time: z.optional(z.boolean()), relativeTo: z.optional(z.string().check(z.minLength(1))) },
  value: (spec) => {
    const form = `must be a ${spec.time ? "day and time" : "day"} written ${formOf(spec)}`;
    // Words are wanted from the model, too, where they are counted from a day; a date's own format would forbid them.
    if (!spec.time && spec.relativeTo === undefined) return z.iso.date(form);
    return z.string(form).check(z.refine((value) => (spec.time ? plainDayTime(value) : plainDay(value)) === value, form));
  },
  tell: (spec) => {
    const plain = `a ${spec.time ? "day and time" : "day"}, written ${formOf(spec)}`;
    return spec.relativeTo === undefined
      ? plain
      : `${plain}; where the text names it from another day (tomorrow, next Friday, in 3 days), those words instead`;
  },
  tidy: (spec, raw) => (typeof raw === "string" ? (readDate(spec, raw) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const value = readDate(spec, cell);
    return value === undefined ? misfit(`is not a ${spec.time ? "day and time" : "day"}; write ${formOf(spec)}`) : fits(value);
  },
  toCell: (_spec, value) => value,
  cellType: ({ time }) => (time ? "dateTime" : "date"),
  typescript: () => "string",
  control: "day",
  settles: "fact",
  writtenAs: "dates",
  resolve: (spec, { today }) => (spec.relativeTo === "today" ? { ...spec, base: today() } : spec),
};

const formOf = ({ time }: DateSpec): string => (time ? "YYYY-MM-DDTHH:MM" : "YYYY-MM-DD");

function readDate({ time, base }: DateSpec, text: string): string | undefined {
  const plain = time ? plainDayTime(text) : plainDay(text);
  if (plain !== undefined || base === undefined) return plain;
  if (!time) return relativeDay(text, base);
  // `tomorrow at 8:15`: the day by its words, the time as it stands.
  const found = /^(.*?),? (?:at )?(\d{1,2}[:.]\d{2}.*)$/i.exec(text.trim());
  const named = found && relativeDay(found[1]!, base);
  return named ? plainDayTime(`${named}T${found[2]}`) : undefined;
}

/**
 * Reads `2026-03-04`, `2026-03-04T08:15`, `4 March 2026` and `Mar 4, 2026` as a day;
 * `undefined` for `03/04/2026`, which means two days, and for days that do not exist.
 */
export function plainDay(text: string): string | undefined {
  const bare = text.trim();
  const iso = /^(\d{4})([-/.])(\d{1,2})\2(\d{1,2})(?:$|[T ]\d)/.exec(bare);
  if (iso) return day(Number(iso[1]), Number(iso[3]), Number(iso[4]));
  const worded = /^(?:(\d{1,2})\.? ([a-z]{3,9})\.?,? (\d{4})|([a-z]{3,9})\.? (\d{1,2}),? (\d{4}))$/i.exec(bare);
  if (!worded) return undefined;
  const name = (worded[2] ?? worded[4])!.toLowerCase();
  const month = MONTHS.findIndex((m) => m === name || m.slice(0, 3) === name || (name === "sept" && m === "september")) + 1;
  return month > 0 ? day(Number(worded[3] ?? worded[6]), month, Number(worded[1] ?? worded[5])) : undefined;
}

/** Reads `2026-03-04T08:15`, `2026-03-04 8:15:30` and `4 March 2026, 8:15 pm` to the minute; an offset is not a plain time. */
export function plainDayTime(text: string): string | undefined {
  const found = /^(.*?)(?:T|,? (?:at )?)(\d{1,2})[:.](\d{2})(?::\d{2}(?:\.\d+)?)?(?: ?([ap])\.?m\.?)?$/i.exec(text.trim());
  const date = found && plainDay(found[1]!);
  if (!date) return undefined;
  const half = found[4]?.toLowerCase();
  const stated = Number(found[2]);
  if (half && (stated < 1 || stated > 12)) return undefined;
  const hour = half ? (stated % 12) + (half === "p" ? 12 : 0) : stated;
  return hour > 23 || Number(found[3]) > 59 ? undefined : `${date}T${String(hour).padStart(2, "0")}:${found[3]}`;
}

function day(year: number, month: number, date: number): string | undefined {
  const last = month === 2 ? (year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0) ? 29 : 28) : [4, 6, 9, 11].includes(month) ? 30 : 31;
  if (month < 1 || month > 12 || date < 1 || date > last) return undefined;
  return `${String(year).padStart(4, "0")}-${String(month).padStart(2, "0")}-${String(date).padStart(2, "0")}`;
}

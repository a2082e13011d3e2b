/** What a run gives to every prompt: `{{ today }}`, `{{ now }}`, `{{ timeZone }}`. */
export interface RunValues {
  /** The run's day in its time zone, `2026-08-03`. */
  readonly today: string;
  /** The run's day and time in its time zone, to the minute, `2026-08-03T08:15`. */
  readonly now: string;
  /** IANA name, `Pacific/Auckland`. */
  readonly timeZone: string;
}

export const RUN_NAMES: readonly (keyof RunValues)[] = ["today", "now", "timeZone"];

const MINUTE_MS = 60_000;
/** Those of the minute that was asked for last; within one nothing of them changes. */
let last: { readonly minute: number; readonly values: RunValues } | undefined;
const formats = new Map<string, Intl.DateTimeFormat>();

/** Making one takes as long as a whole known answer. */
function formatOf(timeZone: string): Intl.DateTimeFormat {
  let format = formats.get(timeZone);
  if (!format) {
    const number = "2-digit";
    format = new Intl.DateTimeFormat("en-CA", {
      timeZone,
      year: "numeric",
      month: number,
      day: number,
      hour: number,
      minute: number,
      hourCycle: "h23",
    });
    formats.set(timeZone, format);
  }
  return format;
}

/**
 * The values of a run that begins at a moment (milliseconds since 1970) in a time zone.
 *
 * @example
 * ```ts
 * import { runValues } from "yoroshi";
 *
 * runValues(Date.UTC(2026, 7, 3, 22), "Pacific/Auckland").today; // => "2026-08-04"
 * ```
 */
export function runValues(at: number, timeZone: string): RunValues {
  const minute = Math.floor(at / MINUTE_MS);
  if (last?.minute === minute && last.values.timeZone === timeZone) return last.values;
  const parts = formatOf(timeZone).formatToParts(at);
  const get = (type: string): string => parts.find((part) => part.type === type)?.value ?? "";
  const today = `${get("year")}-${get("month")}-${get("day")}`;
  last = { minute, values: { today, now: `${today}T${get("hour")}:${get("minute")}`, timeZone } };
  return last.values;
}

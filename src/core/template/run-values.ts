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
  const parts = new Intl.DateTimeFormat("en-CA", {
    timeZone,
    year: "numeric",
    month: "2-digit",
    day: "2-digit",
    hour: "2-digit",
    minute: "2-digit",
    hourCycle: "h23",
  }).formatToParts(at);
  const get = (type: string): string => parts.find((part) => part.type === type)?.value ?? "";
  const today = `${get("year")}-${get("month")}-${get("day")}`;
  return { today, now: `${today}T${get("hour")}:${get("minute")}`, timeZone };
}

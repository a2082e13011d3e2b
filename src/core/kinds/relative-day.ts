const WEEKDAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];
const COUNTS: Readonly<Record<string, number>> = {
  a: 1,
  an: 1,
  one: 1,
  two: 2,
  three: 3,
  four: 4,
  five: 5,
  six: 6,
  seven: 7,
  eight: 8,
  nine: 9,
  ten: 10,
  "a couple of": 2,
};
const DAY_MS = 86_400_000;

/**
 * The day that words name from another day: `tomorrow`, `in 3 days`, `two weeks ago`, `Friday`, `next Friday`, `last month`.
 * A bare weekday (or `this`, `on`, `coming`) is the first one after the base; `next` is the one in the week after, weeks
 * beginning on Monday; `last` is the one before the base.
 *
 * @param base ISO 8601, `2026-08-03` or `2026-08-03T08:15`.
 * @returns ISO 8601 day, or `undefined` for words that name no day.
 */
export function relativeDay(text: string, base: string): string | undefined {
  const words = text.trim().toLowerCase().replace(/[.,]$/, "").replace(/\s+/g, " ");
  const from = Date.parse(`${base.slice(0, 10)}T00:00:00Z`);
  if (Number.isNaN(from)) return undefined;
  const days = dayShift(words) ?? weekdayShift(words, from);
  if (days !== undefined) return iso(from + days * DAY_MS);
  const months = monthShift(words);
  return months === undefined ? undefined : addMonths(from, months);
}

const FIXED: Readonly<Record<string, number>> = {
  today: 0,
  "this morning": 0,
  "this afternoon": 0,
  "this evening": 0,
  tonight: 0,
  tomorrow: 1,
  yesterday: -1,
  "last night": -1,
  "the day after tomorrow": 2,
  "day after tomorrow": 2,
  "the day before yesterday": -2,
  "day before yesterday": -2,
  "next week": 7,
  "last week": -7,
};

function dayShift(words: string): number | undefined {
  if (FIXED[words] !== undefined) return FIXED[words];
  const shift = counted(words, "days?|weeks?|fortnights?");
  if (!shift) return undefined;
  return shift.count * (shift.unit.startsWith("week") ? 7 : shift.unit.startsWith("fortnight") ? 14 : 1);
}

function monthShift(words: string): number | undefined {
  if (words === "next month") return 1;
  if (words === "last month") return -1;
  if (words === "next year") return 12;
  if (words === "last year") return -12;
  const shift = counted(words, "months?|years?");
  return shift && shift.count * (shift.unit.startsWith("year") ? 12 : 1);
}

/** `in 3 days` -> 3, `two days ago` -> -2. */
function counted(words: string, units: string): { readonly count: number; readonly unit: string } | undefined {
  const found = new RegExp(
    `^(in |within )?(\\d{1,4}|${Object.keys(COUNTS).join("|")}) (${units})( ago| earlier| from now| later| from today)?$`,
  ).exec(words);
  if (!found || (!found[1] && !found[4])) return undefined;
  const count = COUNTS[found[2]!] ?? Number(found[2]);
  const back = found[4] === " ago" || found[4] === " earlier";
  if (back && found[1]) return undefined;
  return { count: back ? -count : count, unit: found[3]! };
}

function weekdayShift(words: string, from: number): number | undefined {
  const found = /^(?:(this|on|coming|this coming|next|last|past) )?([a-z]{3,9})$/.exec(words);
  const wanted = found
    ? WEEKDAYS.findIndex((day) => day === found[2] || (found[2]!.length >= 3 && found[2]!.length <= 5 && day.startsWith(found[2]!)))
    : -1;
  if (wanted < 0) return undefined;
  const today = (new Date(from).getUTCDay() + 6) % 7;
  if (found![1] === "next") return 7 - today + wanted;
  const ahead = (wanted - today + 7) % 7 || 7;
  return found![1] === "last" || found![1] === "past" ? (wanted - today - 7) % 7 || -7 : ahead;
}

/** The same day of another month; its last day where it has fewer. */
function addMonths(from: number, months: number): string {
  const date = new Date(from);
  const day = date.getUTCDate();
  date.setUTCDate(1);
  date.setUTCMonth(date.getUTCMonth() + months);
  const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate();
  date.setUTCDate(Math.min(day, last));
  return iso(date.getTime());
}

function iso(ms: number): string {
  return new Date(ms).toISOString().slice(0, 10);
}

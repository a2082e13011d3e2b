import { toMicros, type Micros } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import type { Limits } from "../plan/index.js";

const DAY_MS = 86_400_000;
const MOST_RUNS = 100_000;

/** The hours, minutes and seconds of the day that have passed somewhere, in milliseconds. */
function sinceMidnight(at: number, timeZone: string): number {
  const parts = new Intl.DateTimeFormat("en", { timeZone, hourCycle: "h23", hour: "2-digit", minute: "2-digit", second: "2-digit" });
  const [hours = 0, minutes = 0, seconds = 0] = parts.format(at).split(":").map(Number);
  return ((hours * 60 + minutes) * 60 + seconds) * 1000 + (((at % 1000) + 1000) % 1000);
}

/**
 * When a day began somewhere, milliseconds since 1970.
 *
 * @param timeZone IANA name.
 */
export function dayStart(at: number, timeZone: string): number {
  const start = at - sinceMidnight(at, timeZone);
  // Where the clocks were put on or back since, that is an hour too early or too late.
  const past = sinceMidnight(start, timeZone);
  return past === 0 ? start : past < DAY_MS / 2 ? start - past : start + (DAY_MS - past);
}

/** When the next day begins there. */
export const nextDay = (at: number, timeZone: string): number => dayStart(dayStart(at, timeZone) + 1.5 * DAY_MS, timeZone);

/** What a plan's limits for a day leave for its next round; a limit that it does not have is left out. */
export interface LeftOfDay {
  readonly rows?: number | undefined;
  readonly spend?: Micros | undefined;
}

/** What fills of a plan have used today, and what its limits leave. */
export async function leftOfDay(
  { runs, charges }: Pick<Ledger, "runs" | "charges">,
  { name, limits }: { readonly name: string; readonly limits: Limits },
  now: number,
  timeZone: string,
): Promise<LeftOfDay> {
  if (limits.rowsPerDay === undefined && limits.spendPerDay === undefined) return {};
  const since = dayStart(now, timeZone);
  const today = (await runs.recent({ kind: "fill", subject: name, limit: MOST_RUNS })).filter(({ startedAt }) => startedAt >= since);
  const spent = (await charges.of(name, { since })).reduce((sum, line) => sum + line.spent + line.unsure, 0);
  // One that broke off has no figures: each of its requests counts for a row.
  const asked = today.reduce((sum, { tally }) => sum + ((tally as { asked?: number } | undefined)?.asked ?? 0), 0);
  const brokenOff = today.filter(({ endedAt }) => endedAt === undefined).map(({ id }) => id);
  const lost =
    brokenOff.length === 0 ? 0 : (await charges.of(name, { since, runs: brokenOff })).reduce((sum, line) => sum + line.requests, 0);
  return {
    ...(limits.rowsPerDay === undefined ? {} : { rows: Math.max(0, limits.rowsPerDay - asked - lost) }),
    ...(limits.spendPerDay === undefined ? {} : { spend: Math.max(0, toMicros(limits.spendPerDay) - spent) }),
  };
}

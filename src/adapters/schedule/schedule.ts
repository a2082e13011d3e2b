import { Cron } from "croner";

/** Times at which something is due. */
export interface Schedule {
  /** The first one after a moment, milliseconds since 1970; `undefined` where there is none. */
  next(after: number): number | undefined;
}

/**
 * The times of a cron expression of five parts.
 *
 * @param timeZone IANA name.
 * @throws Error for an expression that cannot be read; see `scheduleProblem`.
 */
export function schedule(every: string, timeZone: string): Schedule {
  const cron = new Cron(every, { timezone: timeZone, paused: true, mode: "5-part" });
  return { next: (after) => cron.nextRun(new Date(after))?.getTime() };
}

/** Why an expression is no schedule; `undefined` where it is one. */
export function scheduleProblem(every: string, timeZone: string, now: number): string | undefined {
  try {
    return schedule(every, timeZone).next(now) === undefined ? "these times never come" : undefined;
  } catch (error) {
    return (error as Error).message.replace(/^CronPattern: /, "").replace(/\.$/, "");
  }
}

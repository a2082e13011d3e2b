import * as z from "zod";
import { keep, plainJson, readKept, type Ledger } from "../../core/index.js";
import { count, money } from "../schemas.js";

/** One round, as it is kept. */
export const roundShape = z.object({
  /** The fill's run. */
  run: z.string(),
  at: z.iso.datetime(),
  /** Why it began. */
  because: z.enum(["start", "schedule", "change", "again"]),
  /** Rows that were named as changed; null for a look at all. */
  named: count.nullable(),
  end: z.string(),
  asked: count,
  spent: money,
  /** Cells that it altered. */
  changes: count,
  /** What rules did. */
  actions: count,
  tookMs: z.number(),
  /** From the first change that was heard until the round had ended; null for one that a schedule began. */
  lagMs: z.number().nullable(),
  problem: z.string().optional(),
});

/** How a watched plan stands. */
export const watchShape = z.object({
  /** `standby`: another process watches it. `resting`: nothing more may be asked today, or it is waited after a failure. */
  state: z.enum(["off", "standby", "waiting", "round", "resting"]),
  process: z.int().nullable(),
  /** When the state was last told. */
  at: z.iso.datetime(),
  /** The oldest change that no round has taken up; null while there is none. */
  since: z.iso.datetime().nullable(),
  lagMs: z.number(),
  lastRound: roundShape.nullable(),
  /** When the next round is due, where that is known. */
  nextRound: z.iso.datetime().nullable(),
  /** Why it rests. */
  problem: z.string().nullable(),
  /** The last time of the schedule that was kept. */
  lastTick: z.iso.datetime().nullable(),
});

export type WatchRound = z.output<typeof roundShape>;
export type WatchState = z.output<typeof watchShape>;

const FORMAT = { format: 1, schema: watchShape as never };
const factName = (plan: string): string => `watch:${plan}`;
/** The name under which one process watches a plan. */
export const leadName = (plan: string): string => `watch:${plan}`;

/** What was last told of a watched plan; `undefined` for one that nobody has watched. */
export async function readWatch({ facts }: Pick<Ledger, "facts">, plan: string): Promise<WatchState | undefined> {
  return readKept<WatchState>(FORMAT, await facts.get(factName(plan)));
}

export async function keepWatch({ facts }: Pick<Ledger, "facts">, plan: string, state: WatchState): Promise<void> {
  await facts.set(factName(plan), keep(FORMAT, plainJson(state) as object));
}

/** How a watched plan stands now: one whose process has ended is off, and the lag grows. */
export async function watchNow(ledger: Pick<Ledger, "facts" | "leases">, plan: string, now: number): Promise<WatchState | undefined> {
  const kept = await readWatch(ledger, plan);
  if (!kept) return undefined;
  const isWatched = await ledger.leases.isTaken(leadName(plan), now);
  const lagMs = kept.since === null ? 0 : Math.max(0, now - Date.parse(kept.since));
  return isWatched ? { ...kept, lagMs } : { ...kept, state: "off", process: null, nextRound: null, lagMs };
}

import type { CancelSignal, Clock } from "../ground/index.js";
import { claim, type Ledger, type NoticeRecord } from "../ledger/index.js";
import { readyAfterRules, type AfterRule, type Plan } from "../plan/index.js";

/** The port to whoever takes messages: gives why one was not taken, or nothing. */
export type Messenger = (
  to: NonNullable<AfterRule["notify"]>,
  notice: NoticeRecord,
  signal: CancelSignal | undefined,
) => Promise<string | undefined>;

export interface Delivered {
  readonly sent: number;
  readonly waiting: number;
  /** Why messages wait, each with the rule. */
  readonly problems: readonly { readonly rule: string; readonly problem: string; readonly messages: number }[];
}

export interface DeliverOptions {
  /** How often a message is tried in a row; between two tries it is waited. Default 3. */
  readonly attempts?: number | undefined;
  /** Default 1,000, doubled each time. */
  readonly waitMs?: number | undefined;
  readonly signal?: CancelSignal | undefined;
}

const SOME = 100;
const AT_ONCE = 4;

/**
 * Sends the messages of a plan that wait, oldest first. One that is taken is recorded as such; one that is not waits for the next time,
 * however often: a receiver that is down loses none. What was sent while the process ended before that was recorded is sent once more,
 * under the same id, by which a receiver knows it. A rule whose receiver does not answer is left for this time after one message.
 */
export async function deliverNotices(
  { plan, ledger, clock }: { readonly plan: Plan; readonly ledger: Ledger; readonly clock: Clock },
  send: Messenger,
  options: DeliverOptions = {},
): Promise<Delivered> {
  const letGo = await claim(ledger, clock, `outbox:${plan.name}`);
  // Another process sends them.
  if (!letGo) return { sent: 0, waiting: (await ledger.afterwards.count(plan.name)).waiting, problems: [] };
  try {
    return await deliverAlone(plan, ledger, clock, send, options);
  } finally {
    await letGo();
  }
}

async function deliverAlone(plan: Plan, ledger: Ledger, clock: Clock, send: Messenger, options: DeliverOptions): Promise<Delivered> {
  const { attempts = 3, waitMs = 1_000, signal } = options;
  const rules = new Map(readyAfterRules(plan).map(({ id, rule }) => [id, rule]));
  const failing = new Map<string, string>();
  const tried = new Set<string>();
  let sent = 0;
  const one = async (notice: NoticeRecord): Promise<void> => {
    const to = rules.get(notice.rule)?.notify;
    let problem: string | undefined = to ? "it was not tried" : "the plan has no such rule any more";
    let now = notice;
    for (let left = to ? attempts : 0, wait = waitMs; left > 0 && problem !== undefined && !signal?.aborted; left--, wait *= 2) {
      // Recorded before and after: what is under way when the process ends is known to be.
      now = { ...now, attempts: now.attempts + 1, triedAt: clock.now() };
      await ledger.record({ notices: [now] });
      problem = await send(to!, now, signal);
      if (problem !== undefined && left > 1 && !failing.has(notice.rule)) await clock.sleep(wait, signal).catch(() => undefined);
      if (problem !== undefined && failing.has(notice.rule)) break;
    }
    if (problem === undefined) {
      sent++;
      const { problem: _, ...rest } = now;
      await ledger.record({ notices: [{ ...rest, state: "sent", triedAt: clock.now() }] });
    } else {
      failing.set(notice.rule, problem);
      await ledger.record({ notices: [{ ...now, problem }] });
    }
  };
  for (;;) {
    const waiting = (await ledger.afterwards.waiting(plan.name, SOME + tried.size)).filter(({ id }) => !tried.has(id));
    if (waiting.length === 0 || signal?.aborted) break;
    for (let from = 0; from < waiting.length && !signal?.aborted;) {
      // What the same row sends goes one after the other; and a rule whose receiver is down is left.
      const group: NoticeRecord[] = [];
      while (from < waiting.length && group.length < AT_ONCE) {
        const next = waiting[from]!;
        if (!failing.has(next.rule) && group.some(({ key }) => key === next.key)) break;
        from++;
        tried.add(next.id);
        if (!failing.has(next.rule)) group.push(next);
      }
      await Promise.all(group.map(one));
    }
  }
  const left = await ledger.afterwards.waiting(plan.name, 10_000);
  return {
    sent,
    waiting: (await ledger.afterwards.count(plan.name)).waiting,
    problems: [...failing].map(([rule, problem]) => ({ rule, problem, messages: left.filter((notice) => notice.rule === rule).length })),
  };
}

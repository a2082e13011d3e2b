import { canonicalJson, type Json } from "../ground/index.js";
import { addCharge, type Charge } from "./charges.js";
import type { Ledger } from "./ledger.js";
import type {
  AfterRecord,
  AnswerRecord,
  CellRecord,
  CheckRecord,
  DaySpendRecord,
  DecisionRecord,
  NoticeRecord,
  RunRecord,
  SpendRecord,
  VersionRecord,
} from "./records.js";
import { runHolder } from "./claim.js";
import { grantOf } from "./reserve.js";

/**
 * A ledger that lives as long as the process: for the browser, tests and single questions.
 *
 * @example
 * ```ts
 * import { memoryLedger } from "yoroshi";
 *
 * const ledger = memoryLedger();
 * await ledger.facts.set("seen", 3);
 * await ledger.facts.get("seen"); // => 3
 * ```
 */
export function memoryLedger(): Ledger {
  const answers = new Map<string, AnswerRecord>();
  const cells = new Map<string, CellRecord>();
  const versions = new Map<string, VersionRecord[]>();
  const runs = new Map<string, RunRecord>();
  const facts = new Map<string, Json>();
  const leases = new Map<string, { readonly holder: string; readonly until: number }>();
  const reserved = new Map<string, { readonly amount: number; readonly until: number; readonly run: string | undefined }>();
  const charges = new Map<string, Charge>();
  /** Plan -> key -> what rules made of the row. */
  const afterwards = new Map<string, Map<string, AfterRecord>>();
  let afterCount = 0;
  const notices = new Map<string, NoticeRecord>();
  let decisions: readonly DecisionRecord[] = [];
  const checks: CheckRecord[] = [];
  /** Run -> cell -> what stood there before the run, and what the run left there. */
  const changes = new Map<string, Map<string, { readonly before: CellRecord | undefined; readonly after: CellRecord }>>();
  const told = (run: RunRecord): RunRecord => (run.endedAt === undefined ? run : { ...run, cells: changes.get(run.id)?.size ?? 0 });
  const cellId = (plan: string, step: string, key: string): string => JSON.stringify([plan, step, key]);
  const chargedSince = (day: number, run?: string): number =>
    [...charges.values()].reduce(
      (sum, charge) => sum + (charge.day >= day && (run === undefined || charge.run === run) ? charge.spent + charge.unsure : 0),
      0,
    );
  const release = (holder: string, names: readonly string[]): void => {
    for (const name of names) if (leases.get(name)?.holder === holder) leases.delete(name);
  };

  const heldOf = (plan: string, step: string, like: string | undefined): CellRecord[] =>
    [...cells.values()]
      .filter(
        (one) => one.plan === plan && one.step === step && one.held && (like === undefined ? one.held.like !== "" : one.held.like === like),
      )
      .sort((a, b) => (a.key < b.key ? -1 : 1));

  return {
    answers: {
      find: async (fingerprints) => fingerprints.map((fingerprint) => answers.get(fingerprint)),
      async *all() {
        yield [...answers.values()].sort((a, b) => a.at - b.at);
      },
      prune: async ({ before, subject }) => {
        const needed = new Set([...cells.values()].map((cell) => cell.fingerprint));
        const isOld = ({ fingerprint, at, run }: AnswerRecord): boolean =>
          at < before && !needed.has(fingerprint) && (subject === undefined || runs.get(run)?.subject === subject);
        const old = [...answers.values()].filter(isOld);
        for (const { fingerprint } of old) answers.delete(fingerprint);
        return old.length;
      },
    },
    cells: {
      find: async (plan, step, keys) => {
        const found = new Map<string, CellRecord>();
        for (const key of keys) {
          const record = cells.get(cellId(plan, step, key));
          if (record) found.set(key, record);
        }
        return found;
      },
      async *all() {
        yield [...cells.values()];
      },
      held: async (plan, step, { after, like, limit }) =>
        heldOf(plan, step, like)
          .filter(({ key }) => after === undefined || key > after)
          .slice(0, limit),
      countHeld: async (plan, step, like) => heldOf(plan, step, like).length,
      changedSince: async (plan, step, at) =>
        [...cells.values()].filter((one) => one.plan === plan && one.step === step && one.at >= at).map(({ key }) => key),
      rename: async (plan, to) => {
        const moved = [...cells.values()].filter((one) => one.plan === plan);
        for (const [id, one] of cells) if (one.plan === plan || one.plan === to) cells.delete(id);
        for (const one of moved) cells.set(cellId(to, one.step, one.key), { ...one, plan: to });
        decisions = decisions.filter((one) => one.plan !== to).map((one) => (one.plan === plan ? { ...one, plan: to } : one));
        const ruled = [...(afterwards.get(plan) ?? [])].map(([key, one]) => [key, { ...one, plan: to }] as const);
        afterwards.delete(plan);
        afterwards.set(to, new Map(ruled));
        afterCount++;
        for (const [id, one] of notices) {
          if (one.plan === to) notices.delete(id);
          else if (one.plan === plan) notices.set(id, { ...one, plan: to });
        }
      },
      async *changedBy(run, plan) {
        const found = [...(changes.get(run) ?? [])].map(([id, change]) => ({ now: cells.get(id) ?? change.after, ...change }));
        yield found.filter(({ now }) => now.plan === plan);
      },
    },
    decisions: {
      async *all(plan) {
        yield decisions.filter((decision) => decision.plan === plan);
      },
      of: async (plan, step, key) => decisions.filter((one) => one.plan === plan && one.step === step && one.key === key),
      act: async (act) => decisions.filter((one) => one.act === act),
      addCheck: async (check) => void checks.unshift(check),
      checks: async (plan) => checks.filter((check) => check.plan === plan),
    },
    afterwards: {
      find: async (plan, keys) => {
        const known = afterwards.get(plan);
        return new Map(keys.flatMap((key) => (known?.has(key) ? [[key, known.get(key)!] as const] : [])));
      },
      async *all(plan) {
        yield [...(afterwards.get(plan)?.values() ?? [])].sort((a, b) => (a.key < b.key ? -1 : 1));
      },
      mark: async () => String(afterCount),
      waiting: async (plan, limit) => [...notices.values()].filter((one) => one.plan === plan && one.state === "waiting").slice(0, limit),
      notices: async (plan, limit) =>
        [...notices.values()]
          .filter((one) => one.plan === plan)
          .reverse()
          .slice(0, limit),
      count: async (plan) => {
        const mine = [...notices.values()].filter((one) => one.plan === plan);
        const waiting = mine.filter(({ state }) => state === "waiting").length;
        return { waiting, sent: mine.length - waiting };
      },
    },
    charges: {
      of: async (subject, { since = -Infinity, runs: some } = {}) => {
        const mine = new Set(
          [...runs.values()]
            .filter((run) => run.subject === subject && run.startedAt >= since && (!some || some.includes(run.id)))
            .map((run) => run.id),
        );
        const sums = new Map<string, Charge>();
        for (const charge of charges.values()) if (mine.has(charge.run)) addCharge(sums, { ...charge, run: "", day: 0 });
        const records = [...sums.values()].map(({ model, step, requests, tokensIn, tokensOut, spent, unsure }): SpendRecord => ({
          model,
          step,
          requests,
          tokensIn,
          tokensOut,
          spent,
          unsure,
        }));
        return records.sort((one, other) => (one.model < other.model || (one.model === other.model && one.step < other.step) ? -1 : 1));
      },
      byDay: async (since) => {
        const days = new Map<string, DaySpendRecord>();
        for (const { run, step, model, day, requests, tokensIn, tokensOut, spent, unsure } of charges.values()) {
          const about = runs.get(run);
          if (day < since || !about) continue;
          const { kind, subject } = about;
          const id = JSON.stringify([day, kind, subject, model, step]);
          const sum = days.get(id) ?? { day, kind, subject, model, step, requests: 0, tokensIn: 0, tokensOut: 0, spent: 0, unsure: 0 };
          days.set(id, {
            ...sum,
            requests: sum.requests + requests,
            tokensIn: sum.tokensIn + tokensIn,
            tokensOut: sum.tokensOut + tokensOut,
            spent: sum.spent + spent,
            unsure: sum.unsure + unsure,
          });
        }
        const order = ({ kind, subject, model, step }: DaySpendRecord): string => JSON.stringify([kind, subject, model, step]);
        return [...days.values()].sort((a, b) => b.day - a.day || (order(a) < order(b) ? -1 : 1));
      },
      since: async (day, run) => chargedSince(day, run),
      reserve: async (about) => {
        const others = [...reserved].reduce(
          (sum, [holder, { amount, until, run }]) => sum + (holder !== about.holder && run === about.run && until > about.now ? amount : 0),
          0,
        );
        const amount = grantOf(about, chargedSince(about.since, about.run) + others);
        if (amount !== undefined) reserved.set(about.holder, { amount, until: about.until, run: about.run });
        return amount;
      },
      release: async (holder) => void reserved.delete(holder),
    },
    runs: {
      start: async (run) => void runs.set(run.id, run),
      end: async (end) => {
        const run = runs.get(end.id);
        if (run) runs.set(end.id, { ...run, ...end });
      },
      find: async (kind, subject, limit) =>
        [...runs.values()]
          .filter((run) => run.kind === kind && run.subject === subject)
          .sort((a, b) => b.startedAt - a.startedAt)
          .slice(0, limit)
          .map(told),
      recent: async ({ limit, before = Number.POSITIVE_INFINITY, kind, subject }) =>
        [...runs.values()]
          .filter(
            (run) =>
              run.startedAt < before && (kind === undefined || run.kind === kind) && (subject === undefined || run.subject === subject),
          )
          .sort((a, b) => b.startedAt - a.startedAt)
          .slice(0, limit)
          .map(told),
    },
    versions: {
      of: async (template, { hash, text, at }) => {
        const known = versions.get(template) ?? [];
        const same = known.find((version) => version.hash === hash);
        if (same) return same;
        const record = { template, version: known.length + 1, hash, text, at };
        versions.set(template, [...known, record]);
        return record;
      },
      all: async (template) => versions.get(template) ?? [],
    },
    facts: {
      get: async (name) => facts.get(name),
      set: async (name, value) => void facts.set(name, value),
      remove: async (names) => {
        for (const name of names) facts.delete(name);
      },
      find: async (beginning) =>
        new Map([...facts].filter(([name, value]) => name.startsWith(beginning) && value !== null).sort(([a], [b]) => (a < b ? -1 : 1))),
      swap: async (name, expected, value) => {
        const now = facts.get(name);
        const isSame = now === undefined || expected === undefined ? now === expected : canonicalJson(now) === canonicalJson(expected);
        if (isSame) facts.set(name, value);
        return isSame;
      },
    },
    leases: {
      take: async (names, { holder, until, now }) =>
        names.map((name) => {
          const held = leases.get(name);
          if (held && held.holder !== holder && held.until > now) return false;
          leases.set(name, { holder, until });
          return true;
        }),
      isTaken: async (name, now) => (leases.get(name)?.until ?? now) > now,
      release: async (holder, names) => release(holder, names),
    },
    record: async (entry) => {
      for (const record of entry.answers ?? [])
        if (entry.replace || !answers.has(record.fingerprint)) answers.set(record.fingerprint, record);
      for (const charge of entry.charges ?? []) {
        addCharge(charges, charge);
        for (const holder of entry.holder === undefined ? [] : [entry.holder, runHolder(entry.holder)]) {
          const held = reserved.get(holder);
          if (held) reserved.set(holder, { ...held, amount: Math.max(0, held.amount - charge.spent - charge.unsure) });
        }
      }
      for (const record of entry.cells ?? []) {
        const id = cellId(record.plan, record.step, record.key);
        const before = cells.get(id);
        const changed =
          changes.get(record.run) ?? new Map<string, { readonly before: CellRecord | undefined; readonly after: CellRecord }>();
        changes.set(record.run, changed);
        const stood = changed.get(id);
        changed.set(id, { before: stood ? stood.before : before, after: record });
        cells.set(id, record);
      }
      for (const record of entry.afterwards ?? []) {
        const known = afterwards.get(record.plan) ?? new Map<string, AfterRecord>();
        afterwards.set(record.plan, known.set(record.key, record));
        afterCount++;
      }
      for (const notice of entry.notices ?? []) notices.set(notice.id, notice);
      decisions = [...decisions, ...(entry.decisions ?? [])];
      const { undone } = entry;
      if (undone)
        decisions = decisions.map((one) =>
          one.act === undone.act && !one.undone ? { ...one, undone: { by: undone.by, at: undone.at } } : one,
        );
      if (entry.holder !== undefined) release(entry.holder, entry.release ?? []);
    },
    mark: async () => "",
    flush: async () => undefined,
    close: async () => undefined,
  };
}

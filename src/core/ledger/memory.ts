import type { Json } from "../ground/index.js";
import { addCharge, type Charge } from "./charges.js";
import type { AnswerRecord, CellRecord, Ledger, RunRecord, SpendRecord, VersionRecord } from "./ledger.js";

/** A ledger that lives as long as the process: for the browser, tests and single questions. */
export function memoryLedger(): Ledger {
  const answers = new Map<string, AnswerRecord>();
  const cells = new Map<string, CellRecord>();
  const versions = new Map<string, VersionRecord[]>();
  const runs = new Map<string, RunRecord>();
  const notes = new Map<string, Json>();
  const claims = new Set<string>();
  const charges = new Map<string, Charge>();
  const cellId = (plan: string, step: string, key: string): string => JSON.stringify([plan, step, key]);

  return {
    answers: async (fingerprints) => fingerprints.map((fingerprint) => answers.get(fingerprint)),
    record: async (entry) => {
      for (const record of entry.answers ?? []) if (entry.replace || !answers.has(record.fingerprint)) answers.set(record.fingerprint, record);
      for (const charge of entry.charges ?? []) addCharge(charges, charge);
      for (const record of entry.cells ?? []) cells.set(cellId(record.plan, record.step, record.key), record);
    },
    cells: async (plan, step, keys) => {
      const found = new Map<string, CellRecord>();
      for (const key of keys) {
        const record = cells.get(cellId(plan, step, key));
        if (record) found.set(key, record);
      }
      return found;
    },
    versionOf: async (template, { hash, text, at }) => {
      const known = versions.get(template) ?? [];
      const same = known.find((version) => version.hash === hash);
      if (same) return same;
      const record = { template, version: known.length + 1, hash, text, at };
      versions.set(template, [...known, record]);
      return record;
    },
    versions: async (template) => versions.get(template) ?? [],
    startRun: async (run) => void runs.set(run.id, run),
    endRun: async (end) => {
      const run = runs.get(end.id);
      if (run) runs.set(end.id, { ...run, ...end });
    },
    runs: async (kind, subject, limit) =>
      [...runs.values()].filter((run) => run.kind === kind && run.subject === subject).sort((a, b) => b.startedAt - a.startedAt).slice(0, limit),
    spend: async (subject) => {
      const mine = new Set([...runs.values()].filter((run) => run.subject === subject).map((run) => run.id));
      const sums = new Map<string, Charge>();
      for (const charge of charges.values()) if (mine.has(charge.run)) addCharge(sums, { ...charge, run: "", day: 0 });
      const records = [...sums.values()].map(({ model, step, requests, tokensIn, tokensOut, spent, unsure }): SpendRecord => ({ model, step, requests, tokensIn, tokensOut, spent, unsure }));
      return records.sort((one, other) => (one.model < other.model || (one.model === other.model && one.step < other.step) ? -1 : 1));
    },
    spentSince: async (day) => [...charges.values()].reduce((sum, charge) => sum + (charge.day >= day ? charge.spent + charge.unsure : 0), 0),
    async *everyAnswer() {
      yield [...answers.values()].sort((a, b) => a.at - b.at);
    },
    async *everyCell() {
      yield [...cells.values()];
    },
    prune: async ({ before, subject }) => {
      const needed = new Set([...cells.values()].map((cell) => cell.fingerprint));
      const old = [...answers.values()].filter(({ fingerprint, at, run }) => at < before && !needed.has(fingerprint) && (subject === undefined || runs.get(run)?.subject === subject));
      for (const { fingerprint } of old) answers.delete(fingerprint);
      return old.length;
    },
    note: async (name) => notes.get(name),
    setNote: async (name, value) => void notes.set(name, value),
    claim: async (name) => {
      if (claims.has(name)) return undefined;
      claims.add(name);
      return async () => void claims.delete(name);
    },
    flush: async () => undefined,
    close: async () => undefined,
  };
}

import { remark, type AnswerRecord, type CellRecord, type Charge, type Ledger } from "../../core/index.js";

export const mark = (n: number): string => n.toString(16).padStart(64, "0");

export const answer = (n: number, raw = "{}"): AnswerRecord => ({
  fingerprint: mark(n),
  template: "t",
  version: 1,
  model: "m",
  run: "run1",
  at: 5,
  answer: {
    state: "answered",
    parts: { tone: "calm", list: ["é", "\n"] },
    raw,
    notes: [remark("fenced"), remark("tidied", { part: "tone" })],
    asks: 1,
    usage: { tokensIn: 3, tokensOut: 4 },
    spent: 7,
    tookMs: 9,
  },
});

export const cell = (key: string, more: Partial<CellRecord> = {}): CellRecord => ({
  plan: "p",
  step: "s",
  key,
  state: "filled",
  fingerprint: mark(1),
  values: { tone: "calm", level: 3, ok: true },
  run: "run1",
  at: 5,
  ...more,
});

export const charge = (more: Partial<Charge>): Charge => ({
  run: "run1",
  step: "s",
  model: "m",
  day: 5,
  requests: 1,
  tokensIn: 1,
  tokensOut: 1,
  spent: 0,
  unsure: 0,
  ...more,
});

export const allOf = async <T>(chunks: AsyncIterable<readonly T[]>): Promise<T[]> => {
  const all: T[] = [];
  for await (const some of chunks) all.push(...some);
  return all;
};

/** What one store of a ledger promises. */
export type LedgerCases = Readonly<Record<string, (ledger: Ledger) => Promise<void>>>;

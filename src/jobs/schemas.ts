import * as z from "zod";

/** Amounts in units of the project's currency. */
export const money = z.number().min(0);
const count = z.int().min(0);

export const cellState = z.enum(["blank", "filled", "stale", "edited", "held", "failed", "skipped"]);
export const cellValue = z.union([z.string(), z.number(), z.boolean()]);

export const message = z.object({ role: z.enum(["system", "user", "assistant"]), content: z.string() });

const usage = z.object({ tokensIn: count, tokensOut: count });

export const confidence = z.object({
  value: z.number(),
  by: z.enum(["agreement", "logProbabilities", "stated"]),
  parts: z.record(z.string(), z.number()).optional(),
});

/** An answer's own facts; amounts in millionths inside `exchanges`, as the ledger keeps them. */
export const answerShape = {
  state: z.enum(["answered", "declined", "refused", "filtered", "cutShort", "malformed", "failed"]),
  reason: z.string().optional(),
  parts: z.record(z.string(), z.json()).optional(),
  raw: z.string(),
  notes: z.array(z.string()),
  asks: count,
  usage,
  spent: money,
  form: z.int().optional(),
  tookMs: z.number(),
  confidence: confidence.optional(),
  exchanges: z.array(z.object({ why: z.string(), model: z.string(), raw: z.string(), usage, spent: count })).optional(),
  spentBy: z.record(z.string(), count).optional(),
  firstParts: z.record(z.string(), z.json()).optional(),
} as const;

/** The figures of a run, or of one of its steps. */
export const tallyShape = {
  rows: count,
  asked: count,
  reused: count,
  ruled: count,
  filled: count,
  skipped: count,
  held: count,
  failed: count,
  edited: count,
  stale: count,
  blank: count,
  tokensIn: count,
  tokensOut: count,
} as const;

export const tally = z.object({ ...tallyShape, spent: money });

/** What a person should know of rows, and the first of them. */
export const toldNote = z.object({ note: z.string(), rows: count, keys: z.array(z.string()) });

export { count };

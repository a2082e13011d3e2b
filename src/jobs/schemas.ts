import * as z from "zod";

/** What a model's host says of itself: the model by its own name, and the system that it ran on. */
const hostSays = z.object({ model: z.string().optional(), system: z.string().optional() });

/** Amounts in units of the project's currency. */
export const money = z.number().min(0);
const count = z.int().min(0);

export const cellState = z.enum(["blank", "filled", "stale", "edited", "held", "failed", "skipped"]);
export const cellValue = z.union([z.string(), z.number(), z.boolean()]);

/** A turn of a prompt, in words. */
export const message = z.object({ role: z.enum(["system", "user", "assistant"]), content: z.string() });

const usage = z.object({ tokensIn: count, tokensOut: count });

export const confidence = z.object({
  value: z.number(),
  by: z.enum(["agreement", "logProbabilities", "stated"]),
  parts: z.record(z.string(), z.number()).optional(),
});

/** The words that carry a part of an answer, where they stand, and what stands around them; or what was given as such and is not there. */
export const evidence = z.object({
  part: z.string(),
  found: z.enum(["atOnce", "mended", "never"]),
  quote: z.string(),
  source: z.string().optional(),
  /** In words. */
  place: z.string().optional(),
  /** Characters from 0, row and page from 1. */
  at: z
    .object({
      row: count.optional(),
      column: z.string().optional(),
      page: count.optional(),
      address: z.string().optional(),
      from: count,
      to: count,
    })
    .optional(),
  before: z.string().optional(),
  behind: z.string().optional(),
});

/** An answer's own facts; amounts in millionths inside `exchanges`, as the ledger keeps them. */
export const answerShape = {
  state: z.enum(["answered", "declined", "refused", "filtered", "cutShort", "malformed", "failed"]),
  /** Why there is no answer, in words and by code. */
  reason: z.string().optional(),
  reasonCode: z.string().optional(),
  parts: z.record(z.string(), z.json()).optional(),
  raw: z.string(),
  /** How the reply was read and what else was asked, in words and by code. */
  notes: z.array(z.string()),
  noteCodes: z.array(z.string()),
  asks: count,
  usage,
  spent: money,
  form: z.int().optional(),
  tookMs: z.number(),
  confidence: confidence.optional(),
  /** What was shown of pictures, documents and pages that the row names. */
  seen: z
    .array(
      z.object({
        input: z.string(),
        hash: z.string(),
        type: z.string(),
        bytes: count,
        address: z.string().optional(),
        title: z.string().optional(),
        fetchedAt: z.string().optional(),
        /** What was searched and read, in its order, and where what was shown was found. */
        steps: z
          .array(
            z.object({
              did: z.enum(["search", "read", "follow"]),
              what: z.string(),
              found: count.optional(),
              chars: count.optional(),
              problem: z.string().optional(),
            }),
          )
          .optional(),
        found: z.array(z.string()).optional(),
        pictures: z.array(z.object({ hash: z.string(), bytes: count, width: count, height: count })).optional(),
      }),
    )
    .optional(),
  evidence: z.array(evidence).optional(),
  exchanges: z.array(z.object({ why: z.string(), model: z.string(), raw: z.string(), usage, spent: count })).optional(),
  spentBy: z.record(z.string(), count).optional(),
  /** What the host said of itself with the last reply. */
  host: hostSays.optional(),
  firstParts: z.record(z.string(), z.json()).optional(),
} as const;

/** What was decided about one value. */
export const decisionShape = z.object({
  act: z.string(),
  step: z.string(),
  key: z.string(),
  column: z.string(),
  how: z.enum(["accept", "edit", "reject", "askAgain", "setBack", "letStand"]),
  value: cellValue.optional(),
  given: cellValue.optional(),
  reason: z.string().optional(),
  version: z.int().optional(),
  model: z.string().optional(),
  by: z.string(),
  at: z.iso.datetime(),
  tookMs: z.number().optional(),
  blind: z.boolean().optional(),
  undone: z.boolean(),
});

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
export const toldNote = z.object({ note: z.string(), code: z.string(), rows: count, keys: z.array(z.string()) });

export { count };

/** The same type without `readonly`, all the way down. */
export type Plain<T> = T extends (infer Item)[] | readonly (infer Item)[]
  ? T extends readonly [unknown, unknown]
    ? [...T]
    : Plain<Item>[]
  : T extends object
    ? { -readonly [Key in keyof T]: Plain<T[Key]> }
    : T;

/** What the core gives read-only, as the plain data of a report: nobody else holds it. */
export const plain = <T>(value: T): Plain<T> => value as Plain<T>;

/** A host says something of itself that it never said before. */
export const hostChangeShape = z.object({ model: z.string(), was: hostSays, now: hostSays });

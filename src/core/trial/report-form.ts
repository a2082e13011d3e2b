import * as z from "zod/mini";
import type { StoredForm } from "../ground/index.js";
import type { Contest } from "./contest.js";
import { REPORT_FORMAT, type TrialReport } from "./report.js";

/** The schema of a report of a trial, as the ledger keeps it and as the faces tell it. */
const count = z.int().check(z.minimum(0));
const share = z.number();
const interval = z.object({ low: z.number(), high: z.number() });
const averages = z.object({ precision: share, recall: share, f1: share });

const classes = z.object({
  accuracy: share,
  classes: z.array(z.object({ label: z.string(), precision: share, recall: share, f1: share, support: count, answered: count })),
  macro: averages,
  // Not kept by the first versions.
  macroLabelled: z._default(averages, { precision: 0, recall: 0, f1: 0 }),
  micro: averages,
  weighted: averages,
  balancedAccuracy: share,
  kappa: z.nullable(z.number()),
  matthews: z.number(),
});

const numbers = z.object({
  meanAbsoluteError: z.number(),
  rootMeanSquareError: z.number(),
  bias: z.number(),
  pearson: z.nullable(z.number()),
  spearman: z.nullable(z.number()),
  kendall: z.nullable(z.number()),
  within: z.number(),
  near: share,
  nearInterval: interval,
  linearKappa: z.optional(z.nullable(z.number())),
  quadraticKappa: z.optional(z.nullable(z.number())),
});

/** Figures of one part. */
const partGrade = z.object({
  part: z.string(),
  kind: z.string(),
  graded: count,
  right: count,
  unanswered: count,
  accuracy: z.nullable(share),
  interval,
  confusion: z.optional(z.object({ labels: z.array(z.string()), counts: z.array(z.array(count)) })),
  classes: z.optional(classes),
  verdicts: z.record(z.string(), z.boolean()),
  numbers: z.optional(numbers),
  points: z.optional(z.array(z.tuple([z.number(), z.number()]))),
  sets: z.optional(z.object({ exact: share, jaccard: share, microF1: share, macroF1: share, hammingLoss: share })),
  texts: z.optional(z.object({ rouge1: share, rouge2: share, rougeL: share, editSimilarity: share })),
  intervals: z.optional(z.record(z.string(), interval)),
  merits: z.optional(z.record(z.string(), z.number())),
});

/** How two contestants did on one part. */
const partComparison = z.object({
  part: z.string(),
  rows: count,
  difference: z.number(),
  interval,
  won: count,
  lost: count,
  wonIds: z.array(z.string()),
  lostIds: z.array(z.string()),
  p: z.number(),
  adjustedP: z.number(),
  exactP: z._default(z.number(), 1),
  midP: z._default(z.number(), 1),
  beyondChance: z.boolean(),
  moreRows: z.optional(z.number()),
  merit: z.optional(z.object({ difference: z.number(), interval: z.nullable(interval), p: z.number() })),
});

const partConfidence = z.object({
  part: z.string(),
  reach: share,
  bins: z.array(z.object({ from: z.number(), to: z.number(), rows: count, meanConfidence: z.number(), accuracy: share, interval })),
  brier: z.number(),
  calibrationError: z.number(),
  threshold: z.optional(z.object({ threshold: z.number(), accuracy: share, interval, toPerson: share })),
});

export const trialReport = z.object({
  run: z.string(),
  template: z.string(),
  version: z.int(),
  model: z.string(),
  file: z.string(),
  samples: count,
  asked: count,
  reused: count,
  unanswered: count,
  tokensIn: count,
  tokensOut: count,
  /** Millionths in the ledger; units of the currency where a face tells it. */
  spent: z.number(),
  worth: z.number(),
  tookMs: z.number(),
  answerMs: z.number(),
  parts: z.array(partGrade),
  disagreements: z.array(
    z.object({
      id: z.string(),
      place: z.string(),
      part: z.string(),
      truth: z.string(),
      answer: z.nullable(z.string()),
      why: z.optional(z.string()),
      words: z.optional(z.object({ quote: z.string(), before: z.string(), behind: z.string() })),
    }),
  ),
  secondLook: z.optional(z.array(partComparison)),
  evidence: z.optional(
    z.array(
      z.object({
        part: z.string(),
        answers: count,
        atOnce: count,
        mended: count,
        never: count,
        atOnceInterval: interval,
        neverInterval: interval,
      }),
    ),
  ),
  examples: z._default(z.array(z.string()), []),
  agreement: z._default(
    z.array(
      z.object({
        part: z.string(),
        labellers: z.array(z.string()),
        rows: count,
        same: share,
        kappa: z.nullable(z.number()),
        undecided: count,
      }),
    ),
    [],
  ),
  slices: z._default(
    z.array(
      z.object({
        by: z.string(),
        value: z.string(),
        part: z.string(),
        rows: count,
        right: count,
        accuracy: share,
        interval,
        rest: z.nullable(share),
        p: z.number(),
        standsOut: z.boolean(),
      }),
    ),
    [],
  ),
  steadiness: z._default(
    z.array(
      z.object({
        part: z.string(),
        asks: count,
        rows: count,
        same: share,
        kappa: z.nullable(z.number()),
        least: z.array(z.object({ id: z.string(), answers: z.array(z.string()) })),
      }),
    ),
    [],
  ),
  confidence: z._default(z.array(partConfidence), []),
  advice: z._default(
    z.object({
      confused: z.array(
        z.object({
          part: z.string(),
          right: z.string(),
          answered: z.string(),
          rows: count,
          ids: z.array(z.string()),
          words: z.array(z.string()),
        }),
      ),
      labels: z.array(z.object({ id: z.string(), part: z.string(), label: z.string(), answer: z.string(), why: z.string() })),
    }),
    { confused: [], labels: [] },
  ),
  judged: z._default(
    z.array(
      z.object({
        part: z.string(),
        template: z.string(),
        version: z.int(),
        rows: count,
        good: count,
        interval,
        meanScore: z.optional(z.number()),
      }),
    ),
    [],
  ),
  sealed: z._default(z.object({ graded: z.boolean(), rows: count, looks: count }), { graded: false, rows: 0, looks: 0 }),
  unfit: z._default(
    z.array(z.object({ id: z.string(), place: z.string(), what: z.string(), problem: z.string(), near: z.optional(z.string()) })),
    [],
  ),
});

export const contestReport: z.ZodMiniType<Contest> = z.object({
  first: z.string(),
  against: z.array(z.object({ name: z.string(), parts: z.array(partComparison) })),
});

/** How the ledger keeps reports of trials. */
export const TRIAL_REPORT: StoredForm<TrialReport> = { format: REPORT_FORMAT, schema: trialReport };

import * as z from "zod";
import { YoroshiError } from "../core/index.js";
import { defineJob } from "./job.js";
import { drawIntoFile, sealInFile } from "./samples-file.js";
import { count } from "./schemas.js";

const DEFAULT_DRAW = 80;
const DEFAULT_SHARE = 0.3;
const DEFAULT_SEED = 1;

/** Rows of a plan's table into the template's samples file, with blank columns for the right values. */
export const drawSamples = defineJob({
  name: "drawSamples",
  summary: "Draws rows of a plan's table into the template's samples file, to be labelled.",
  input: z.strictObject({
    plan: z.string(),
    /** The plan's step whose inputs are drawn. Default: its first template step. */
    step: z.string().optional(),
    /** Default 80. */
    rows: z.int().min(0).optional(),
    /** Default 1. */
    seed: z.int().optional(),
    /** A column of the table, or of what has been filled, over which the draw is balanced. */
    balance: z.string().optional(),
    /** The rows whose answers are most doubtful. */
    doubtful: z.boolean().optional(),
    /** The file to draw into. Default: samples/<template>.csv. */
    samples: z.string().optional(),
  }),
  report: z.object({
    plan: z.string(),
    file: z.string(),
    wanted: count,
    drawn: count,
    /** How many more rows could have been drawn. */
    left: count,
    seed: z.int(),
  }),
  async run(project, { plan, step, rows = DEFAULT_DRAW, seed = DEFAULT_SEED, balance, doubtful, samples }) {
    if (balance !== undefined && doubtful)
      throw new YoroshiError("badOption", { option: "--doubtful", problem: "a draw is balanced or goes by doubt, not both." });
    const drawn = await drawIntoFile(project, plan, { step, rows, seed, balance, doubtful, file: samples });
    return { plan, wanted: rows, ...drawn, seed };
  },
});

/** A share of the samples for the last word: trials leave them alone until they are told to look. */
export const sealSamples = defineJob({
  name: "sealSamples",
  summary: "Keeps a share of the samples for the last word: trials leave them alone until they are asked to look.",
  input: z.strictObject({
    /** The samples file. */
    file: z.string(),
    /** Of all its rows, above 0 and below 1. Default 0.3. */
    share: z.number().optional(),
    /** Default 1. */
    seed: z.int().optional(),
    /** The same share of each value of this column. */
    balance: z.string().optional(),
  }),
  report: z.object({ file: z.string(), sealed: count, rows: count }),
  async run(project, { file, share = DEFAULT_SHARE, seed = DEFAULT_SEED, balance }) {
    if (!(share > 0 && share < 1))
      throw new YoroshiError("badOption", { option: "--share", problem: "the share is a percentage above 0 and below 100." });
    return { file, ...(await sealInFile(project, file, share, seed, balance)) };
  },
});

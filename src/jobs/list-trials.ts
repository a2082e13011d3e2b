import * as z from "zod";
import { recordedTrials, type TrialReport } from "../core/index.js";
import { defineJob } from "./job.js";
import { contestantOf } from "./contest.js";
import { count, money } from "./schemas.js";

const line = z.object({
  /** Of the trial, for `readTrial`. */
  run: z.string(),
  at: z.iso.datetime(),
  template: z.string(),
  version: z.int(),
  model: z.string(),
  /** The samples file. */
  file: z.string(),
  samples: count,
  /** Part -> share of right answers; null where nothing was graded. */
  parts: z.record(z.string(), z.number().nullable()),
  /** Part -> its 95 % interval. */
  intervals: z.record(z.string(), z.object({ low: z.number(), high: z.number() })),
  /** Cost and time of a thousand rows. */
  costPerThousand: money,
  msPerThousand: z.number(),
  /** Whether the sealed samples were graded. */
  sealed: z.boolean(),
  /** The parts on which no other trial on these samples did better. By the figures alone: a contest tells whether it could be chance. */
  best: z.array(z.string()),
});

const MOST_TRIALS = 100;

const report = z.object({ trials: z.array(line) });

export type TrialsReport = z.output<typeof report>;

/** Every trial of the project, newest first, with who did best on which part. */
export const listTrials = defineJob({
  name: "listTrials",
  summary: "Lists every trial of the project, newest first.",
  input: z.strictObject({}),
  report,
  async run(project) {
    const trials: TrialsReport["trials"] = [];
    for (const { name } of await project.listTemplates()) {
      const reports = await recordedTrials(project.ledger(), name, MOST_TRIALS);
      for (const { at, report: own } of reports) {
        const { version, model, file, samples, parts } = own;
        const rivals = reports
          .map((other) => other.report)
          .filter((other) => other.file === file && other.sealed.graded === own.sealed.graded);
        const accuracyOf = (rival: TrialReport, part: string): number => rival.parts.find((one) => one.part === part)?.accuracy ?? 0;
        const best = parts
          .filter(({ part, accuracy }) => rivals.every((rival) => accuracyOf(rival, part) <= (accuracy ?? 0)))
          .map(({ part }) => part);
        const right = Object.fromEntries(parts.map(({ part, accuracy }) => [part, accuracy]));
        const { costPerThousand = 0, msPerThousand = 0 } = contestantOf("", own);
        trials.push({
          run: own.run,
          at: new Date(at).toISOString(),
          template: name,
          version,
          model,
          file,
          samples,
          parts: right,
          intervals: Object.fromEntries(parts.map(({ part, interval }) => [part, { ...interval }])),
          costPerThousand: costPerThousand / 1e6,
          msPerThousand,
          sealed: own.sealed.graded,
          best,
        });
      }
    }
    return { trials: trials.sort((a, b) => b.at.localeCompare(a.at)) };
  },
});

import * as z from "zod";
import { countWaiting, recordedTrials, templateSteps } from "../core/index.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";
import { viewOf } from "./views.js";

const SOME_TRIALS = 20;

const report = z.object({
  plan: z.string(),
  title: z.string().optional(),
  table: z.string(),
  /** The templates of its steps, in their order; the first is what `trial` tells of. */
  templates: z.array(z.object({ step: z.string(), template: z.string(), version: z.int() })),
  /** The newest trial of the first template, by the part that it does worst on. */
  trial: z
    .object({
      at: z.iso.datetime(),
      version: z.int(),
      samples: count,
      part: z.string(),
      accuracy: z.number(),
      interval: z.object({ low: z.number(), high: z.number() }),
    })
    .nullable(),
  /** Rows, and those in which nothing of the first step is to be asked. */
  fill: z.object({ rows: count, done: count }),
  /** Rows that wait for a person, and for a random check. */
  review: z.object({ held: count, check: count }),
});

/** How far the work on a plan is: written, tried, graded, filled, reviewed. */
export const readWay = defineJob({
  name: "readWay",
  summary: "Tells how far the work on a plan is: its templates' versions, the newest trial, rows filled, rows held. Asks nothing.",
  input: z.strictObject({ plan: z.string() }),
  report,
  async run(project, { plan }) {
    const { view, setup } = await viewOf(project, plan);
    const steps = templateSteps(setup.plan);
    const templates = steps
      .filter(({ step }) => !step.inquire)
      .map(({ name, step }) => ({ step: name, template: step.template, version: setup.asking[name]!.version ?? 0 }));
    const [first] = steps;
    const held = Object.values(await countWaiting(setup));
    return {
      plan: setup.plan.name,
      ...(setup.plan.title === undefined ? {} : { title: setup.plan.title }),
      table: setup.table.name,
      templates,
      trial: first && !first.step.inquire ? await newestTrial(first.step.template, setup.asking[first.name]!.version) : null,
      fill: { rows: view.rows, done: first ? doneIn(first.step.fill) : view.rows },
      review: { held: sum(held.map(({ person }) => person)), check: sum(held.map(({ check }) => check)) },
    };

    function doneIn(fill: Readonly<Record<string, string>>): number {
      const { columns } = view.standing({});
      const [column] = Object.keys(fill);
      const { blank = 0, stale = 0, failed = 0 } = columns[column ?? ""] ?? {};
      return view.rows - blank - stale - failed;
    }

    /** Of the version that is asked now, where it was tried; else of another one. */
    async function newestTrial(template: string, version: number | undefined): Promise<z.input<typeof report>["trial"]> {
      const known = await recordedTrials(project.ledger(), template, SOME_TRIALS);
      const newest = known.find((one) => one.report.version === version) ?? known[0];
      if (!newest) return null;
      const graded = newest.report.parts.filter((part) => part.accuracy !== null);
      const [worst] = graded.sort((a, b) => a.accuracy! - b.accuracy!);
      if (!worst) return null;
      const { version: tried, samples } = newest.report;
      const { low, high } = worst.interval;
      return {
        at: new Date(newest.at).toISOString(),
        version: tried,
        samples,
        part: worst.part,
        accuracy: worst.accuracy!,
        interval: { low, high },
      };
    }
  },
});

const sum = (numbers: readonly number[]): number => numbers.reduce((total, one) => total + one, 0);

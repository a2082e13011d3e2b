import * as z from "zod";
import { checkFigures, currentCheck, mapValues, peopleFigures, stepsOf, type WrongFigures } from "../core/index.js";
import { defineJob } from "./job.js";
import { checkTold } from "./review-rows.js";
import { count } from "./schemas.js";

const wrong = z.object({
  population: count,
  checked: count,
  wrong: count,
  /** How many of the population are wrong, exact (hypergeometric), both ends together as sure as `level`; null while none is checked. */
  bounds: z.object({ low: count, high: count }).nullable(),
  level: z.number(),
});

const column = z.object({
  column: z.string(),
  ...wrong.shape,
  byValue: z.record(z.string(), wrong),
  bySlice: z.record(z.string(), z.record(z.string(), wrong)),
  /** What the plan's `release` wants, and how far it is shown: bounds that hold however often one looks. */
  release: z.object({ mostWrong: count, high: count, isShown: z.boolean(), more: count.nullable() }).optional(),
  isReleased: z.boolean(),
});

const share = z.number().nullable();

const report = z.object({
  plan: z.string(),
  /** The newest random check of each step as it is asked now. */
  checks: z.array(
    z.object({
      check: z.string(),
      step: z.string(),
      version: z.int(),
      model: z.string(),
      population: count,
      drawn: z.iso.datetime(),
      columns: z.array(column),
      left: count,
      movedOn: count,
    }),
  ),
  people: z.object({
    reviewers: z.array(
      z.object({ by: z.string(), decided: count, accepted: count, changed: count, rejected: count, medianMs: z.number().nullable() }),
    ),
    together: z.object({ judged: count, same: count, kappa: share, alpha: share }),
    versions: z.array(
      z.object({
        step: z.string(),
        version: z.int().nullable(),
        model: z.string().nullable(),
        decided: count,
        changed: count,
        blind: z.object({ judged: count, same: count }),
      }),
    ),
    undone: count,
  }),
});

export type ReviewFigures = z.output<typeof report>;

const plainFigures = ({ bounds, ...figures }: WrongFigures): z.input<typeof wrong> => ({ ...figures, bounds: bounds && { ...bounds } });

/** How wrong the columns are, by random checks; who agrees with whom. */
export const showReview = defineJob({
  name: "showReview",
  summary: "Tells how many cells of each column are wrong, with exact bounds, and who agrees with whom.",
  input: z.strictObject({
    plan: z.string(),
    /** Tell people's names; otherwise they are numbered. */
    names: z.boolean().optional(),
  }),
  report,
  async run(project, { plan, names = false }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const checks: z.input<typeof report>["checks"] = [];
    for (const step of stepsOf(setup)) {
      const check = await currentCheck(setup, step);
      if (!check) continue;
      const { columns, left, movedOn } = await checkFigures(setup, check);
      checks.push({
        ...checkTold(check),
        drawn: new Date(check.at).toISOString(),
        columns: columns.map(({ column: name, byValue, bySlice, release, isReleased, ...figures }) => ({
          column: name,
          ...plainFigures(figures),
          byValue: mapValues(byValue, plainFigures),
          bySlice: mapValues(bySlice, (slices) => mapValues(slices, plainFigures)),
          ...(release ? { release: { ...release } } : {}),
          isReleased,
        })),
        left,
        movedOn,
      });
    }
    const people = await peopleFigures(setup, { names });
    return {
      plan: setup.plan.name,
      checks,
      people: {
        ...people,
        reviewers: people.reviewers.map((one) => ({ ...one })),
        together: { ...people.together },
        versions: people.versions.map((one) => ({ ...one, blind: { ...one.blind } })),
      },
    };
  },
});

import * as z from "zod";
import { preview } from "../core/index.js";
import { tokenizer } from "../files/index.js";
import type { Project } from "../project/index.js";
import { choiceShape, modelIds, optionsFor, withoutPrice, type Choice } from "./choose-rows.js";
import { followedShape, previewRules } from "./follow-rules.js";
import { defineJob } from "./job.js";
import { count, money, tally, tallyShape } from "./schemas.js";

const input = z.strictObject({
  ...choiceShape,
  /** The plans whose rows are made of this one's, too. */
  derived: z.boolean().optional(),
  /** Rules would act on rows, too, that were filled before the rules were there. */
  fromStart: z.boolean().optional(),
});

const previewed = z.object({
  ...tallyShape,
  dryRun: z.literal(true),
  plan: z.string(),
  table: z.string(),
  model: z.string(),
  standin: z.boolean(),
  steps: z.record(z.string(), tally),
  /** Rows of later steps that depend on answers which are yet to come; counted as if all were asked. */
  unknown: count,
  /** Prompts that were counted with the tokenizer. */
  counted: count,
  /** What would be read, fetched and searched for it: pictures and documents, pages at most, searches. */
  needs: z.object({ files: count, pages: count, searches: count }),
  /** Estimated cost, and the dearest that it can be. */
  cost: money,
  dearest: money,
  /** Whether every model has a price, so that the cost is known. */
  priced: z.boolean(),
  /** The first model that has none. */
  unpriced: z.string().optional(),
  /** What the plan's rules would do about the rows as they now stand; what is yet to be asked is not known. */
  afterwards: followedShape.shape.rules.optional(),
});

const report = z.object({ ...previewed.shape, derived: z.array(previewed).optional() });

export type PreviewedPlan = z.output<typeof previewed>;

/** What a fill would do and cost. Asks and changes nothing. */
export const previewFill = defineJob({
  name: "previewFill",
  summary: "Tells what a fill would ask and cost, without asking.",
  input,
  report,
  async run(project, choice) {
    const first = await previewOne(project, choice);
    const derived: PreviewedPlan[] = [];
    for (const plan of choice.derived ? await project.derivedFrom(choice.plan) : [])
      derived.push(await previewOne(project, { plan, spend: choice.spend, createColumns: choice.createColumns }));
    return derived.length > 0 ? { ...first, derived } : first;
  },
});

async function previewOne(project: Project, choice: Choice & { readonly fromStart?: boolean | undefined }): Promise<PreviewedPlan> {
  const { setup, isStandin } = await project.fillSetup(choice.plan, { asks: false });
  const {
    spent: _,
    tokensIn: __,
    tokensOut: ___,
    estimate,
    dearest,
    steps,
    ...rest
  } = await preview(setup, await optionsFor(project, setup, choice), await tokenizer());
  const unpriced = withoutPrice(setup);
  const afterwards = await previewRules(setup, choice.fromStart === true);
  return {
    ...rest,
    steps: Object.fromEntries(Object.entries(steps).map(([name, one]) => [name, { ...one }])),
    dryRun: true as const,
    plan: setup.plan.name,
    table: setup.table.name,
    model: modelIds(setup),
    standin: isStandin,
    tokensIn: estimate.tokensIn,
    tokensOut: estimate.tokensOut,
    cost: estimate.cost / 1e6,
    dearest: dearest / 1e6,
    priced: unpriced === undefined,
    ...(unpriced === undefined ? {} : { unpriced }),
    ...(afterwards ? { afterwards } : {}),
  };
}

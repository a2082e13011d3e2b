import * as z from "zod";
import { isTemplateStep, keyColumnsOf, plainJson, sourceName, type Plan, type Step } from "../core/index.js";
import { defineJob } from "./job.js";

const pairs = z.record(z.string(), z.string());

const step = z.object({
  name: z.string(),
  /** The template that it asks; left out of plain columns. */
  template: z.string().optional(),
  /** Whose table it asks questions of, instead of a template of the project. */
  asks: z.string().optional(),
  when: z.string().optional(),
  /** Input -> column; empty where each input comes from the column of its own name. */
  inputs: pairs,
  /** Column -> the part of the answer, or what a plain column is made of. */
  fills: pairs,
  /** Rules that settle rows without asking. */
  rules: z.array(z.object({ when: z.string(), give: z.record(z.string(), z.json()) })),
});

const report = z.object({
  /** The plan as its file says it. */
  plan: z.json(),
  name: z.string(),
  title: z.string().optional(),
  table: z.string(),
  key: z.array(z.string()),
  /** How its rows are made of another plan's, in words by what they tell of. */
  madeOf: z.array(z.object({ what: z.string(), of: z.string() })),
  /** Rows of other tables: where each of them comes from, and the columns that match. */
  related: z.array(z.object({ name: z.string(), table: z.string(), match: pairs })),
  refill: z.string(),
  limits: z.record(z.string(), z.number()),
  steps: z.array(step),
});

export type PlanShown = z.output<typeof report>;

/** One plan: its table, its limits, its steps. */
export const showPlan = defineJob({
  name: "showPlan",
  summary: "Shows a plan: its table, its limits, and what each step fills from what.",
  input: z.strictObject({ plan: z.string() }),
  report,
  async run(project, { plan: name }) {
    const plan = await project.plan(name);
    return {
      plan: plainJson(plan),
      name: plan.name,
      ...(plan.title === undefined ? {} : { title: plan.title }),
      table: sourceName(plan.table),
      key: [...keyColumnsOf(plan.table.key)],
      madeOf: madeOf(plan.table),
      related: Object.entries(plan.related ?? {}).map(([related, source]) => ({
        name: related,
        table: sourceName(source.table),
        match: { ...source.match },
      })),
      refill: plan.refill,
      limits: Object.fromEntries(Object.entries(plan.limits).filter(([, limit]) => limit !== undefined)) as Record<string, number>,
      steps: Object.entries(plan.steps).map(([stepName, one]) => shownStep(stepName, one)),
    };
  },
});

/** Of a table whose rows are made of another plan's. */
function madeOf({ items, groups, folder }: Plan["table"]): PlanShown["madeOf"] {
  if (folder) return [{ what: "made of", of: `each file ${folder.files} of the folder ${folder.path}` }];
  if (items)
    return [{ what: "made of", of: `each item of ${items.column} of ${items.of}${items.carry ? `, with ${items.carry.join(", ")}` : ""}` }];
  if (!groups) return [];
  const by = groups.by === undefined ? `all rows of ${groups.of}` : `groups of ${groups.of} by ${keyColumnsOf(groups.by).join(", ")}`;
  return [
    { what: "made of", of: `${by}${groups.when === undefined ? "" : `, when ${groups.when}`}` },
    ...Object.entries(groups.figures).map(([name, figure]) => ({
      what: name,
      of: Object.entries(figure)
        .map(([key, value]) => `${key}: ${value}`)
        .join(", "),
    })),
  ];
}

function shownStep(name: string, one: Step): z.input<typeof step> {
  const when = one.when === undefined ? {} : { when: one.when };
  if (isTemplateStep(one))
    return {
      name,
      template: one.template,
      ...(one.inquire ? { asks: one.inquire.of } : {}),
      ...when,
      inputs: { ...one.inputs },
      fills: { ...one.fill },
      rules: (one.clear ?? []).map((rule) => ({ when: rule.when, give: { ...rule.give } as Record<string, z.input<z.ZodJSONSchema>> })),
    };
  const fills = Object.entries(one.set).map(([column, source]): [string, string] => [
    column,
    typeof source === "string" ? source : "cel" in source ? `CEL: ${source.cel}` : "the row itself",
  ]);
  return { name, ...when, inputs: {}, fills: Object.fromEntries(fills), rules: [] };
}

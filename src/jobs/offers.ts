import * as z from "zod";
import { canonicalJson, explainCells, fenceMark, isTemplateStep, columnsOf, YoroshiError, type Json, type Plan } from "../core/index.js";
import type { Project } from "../project/index.js";
import { inputsSchema } from "./answer-rows.js";
import { defineJob } from "./job.js";
import { cellState } from "./schemas.js";
import { reasonTold } from "./told.js";

const schema = z.record(z.string(), z.json());

/** What is offered to chat assistants. */
export const listOffers = defineJob({
  name: "listOffers",
  summary:
    "Lists what is offered to chat assistants: templates that say `offer: [tools]`, and columns of plans that say `offer: { columns: … }`.",
  input: z.strictObject({}),
  report: z.object({
    templates: z.array(z.object({ name: z.string(), title: z.string(), about: z.string(), inputs: schema, answer: schema })),
    plans: z.array(z.object({ name: z.string(), title: z.string(), key: z.array(z.string()), columns: z.array(z.string()) })),
  }),
  async run(project) {
    return { templates: await offeredTemplates(project), plans: await offeredPlans(project) };
  },
});

async function offeredTemplates(project: Project) {
  const found = [];
  for (const { name } of await project.listTemplates()) {
    // One with mistakes is told by `check`; it does not take the others away.
    const loaded = await project.template(name).catch(() => undefined);
    if (!loaded?.template.offer?.includes("tools")) continue;
    const prepared = await project.prepare(loaded.template);
    const { title = loaded.template.name } = loaded.template;
    const parts = prepared.parts.map(({ name: part, spec, tell }) => `${part}: ${spec.about ?? tell()}`);
    found.push({
      name: loaded.template.name,
      title,
      about: `${title}. Answers: ${parts.join("; ")}.`,
      inputs: inputsSchema(prepared),
      answer: prepared.schema as z.input<typeof schema>,
    });
  }
  return found;
}

async function offeredPlans(project: Project) {
  const found = [];
  for (const { file } of await project.listPlans()) {
    const plan = await project.plan(file).catch(() => undefined);
    if (!plan?.offer) continue;
    const key = typeof plan.table.key === "string" ? [plan.table.key] : [...plan.table.key];
    found.push({ name: plan.name, title: plan.title ?? plan.name, key, columns: [...plan.offer.columns] });
  }
  return found;
}

const cell = z.object({
  column: z.string(),
  value: z.string(),
  /** Of a filled column: how it stands and where its value comes from. */
  state: cellState.optional(),
  reason: z.string().optional(),
  template: z.string().optional(),
  version: z.int().optional(),
  model: z.string().optional(),
  answeredAt: z.iso.datetime().optional(),
});

/** One row of a plan, as far as it is offered. */
export const lookUpRow = defineJob({
  name: "lookUpRow",
  summary: "Looks one row of a plan up by its key: the columns that the plan offers, and where filled values come from.",
  input: z.strictObject({ plan: z.string(), key: z.string() }),
  report: z.object({
    plan: z.string(),
    table: z.string(),
    key: z.string(),
    cells: z.array(cell),
    /** Letters that stand nowhere in the row, to mark it as data by. */
    mark: z.string(),
  }),
  async run(project, { plan: name, key }) {
    const plan = await project.plan(name);
    if (!plan.offer)
      throw new YoroshiError("notFound", {
        what: "plan that offers columns, named",
        name,
        known: (await offeredPlans(project)).map((one) => one.name),
      });
    const { setup } = await project.fillSetup(name, { asks: false });
    const steps = await explainCells(setup, key);
    const source = await sourceRow(setup.table, key);
    const cells = plan.offer.columns.map((column) => cellOf(plan, steps, source, column));
    return { plan: plan.name, table: setup.table.name, key, cells, mark: fenceMark({ cells: canonicalJson(cells as Json) }) };
  },
});

async function sourceRow(table: Awaited<ReturnType<Project["table"]>>, key: string): Promise<Readonly<Record<string, string>>> {
  for await (const { rows } of table.read()) {
    const row = rows.find((one) => one.key === key);
    if (row) return row.values;
  }
  return {};
}

function cellOf(
  plan: Plan,
  steps: Awaited<ReturnType<typeof explainCells>>,
  source: Readonly<Record<string, string>>,
  column: string,
): z.input<typeof cell> {
  const step = Object.entries(plan.steps).find(([, one]) => columnsOf(one).includes(column));
  const found = step && steps.find((one) => one.step === step[0]);
  if (!step || !found) return { column, value: source[column] ?? "" };
  const { record, answer, reason } = found;
  const state = record?.edited?.[column] === undefined ? found.state : "edited";
  return {
    column,
    value: String(record?.edited?.[column] ?? record?.values[column] ?? ""),
    state,
    ...(state === "filled" || state === "edited"
      ? {}
      : reasonTold(reason).reason === undefined
        ? {}
        : { reason: reasonTold(reason).reason! }),
    ...(isTemplateStep(step[1]) && answer && state !== "edited"
      ? { template: answer.template, version: answer.version, model: answer.model, answeredAt: new Date(answer.at).toISOString() }
      : {}),
  };
}

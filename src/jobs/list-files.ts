import * as z from "zod";
import { columnsOf, sourceName, templatesOf } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";

const input = z.strictObject({
  /** Only templates that have all of these words in name, title, tags or text. */
  find: z.string().optional(),
  /** Only templates with this tag. */
  tag: z.string().optional(),
});

const listedTemplate = z.object({
  name: z.string(),
  file: z.string(),
  title: z.string(),
  tags: z.array(z.string()),
  /** Whether it has mistakes. */
  broken: z.boolean(),
});

const listedPlan = z.object({
  name: z.string(),
  file: z.string(),
  title: z.string(),
  /** What it reads; "" while it has mistakes. */
  table: z.string(),
  /** The columns that it fills. */
  fills: z.array(z.string()),
  /** The templates that its steps ask. */
  templates: z.array(z.string()),
  broken: z.boolean(),
});

const report = z.object({
  templates: z.array(listedTemplate),
  /** Left out where templates are searched for. */
  plans: z.array(listedPlan).optional(),
});

export type FilesReport = z.output<typeof report>;
type ListedTemplate = z.output<typeof listedTemplate>;

/** What the project has: its templates and plans, or the templates that are searched for. */
export const listFiles = defineJob({
  name: "listFiles",
  summary: "Lists the project's templates and plans, or the templates that have some words or a tag.",
  input,
  report,
  async run(project, { find, tag }) {
    const templates = await findTemplates(project, find ?? "", tag);
    return find === undefined && tag === undefined ? { templates, plans: await listPlans(project) } : { templates };
  },
});

async function findTemplates(project: Project, words: string, tag: string | undefined): Promise<ListedTemplate[]> {
  const wanted = words
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== "");
  const all = await Promise.all(
    (await project.listTemplates()).map(async ({ name, file }) => {
      const loaded = await project.template(file).catch(() => undefined);
      const { title = "", tags = [] } = loaded?.template ?? {};
      const text = [name, title, ...tags, loaded?.text ?? ""].join("\n").toLowerCase();
      return { listed: { name, file, title, tags: [...tags], broken: !loaded }, text };
    }),
  );
  return all
    .filter(
      ({ listed, text }) =>
        wanted.every((word) => text.includes(word)) &&
        (tag === undefined || listed.tags.some((own) => own.toLowerCase() === tag.toLowerCase())),
    )
    .map(({ listed }) => listed);
}

async function listPlans(project: Project): Promise<z.output<typeof listedPlan>[]> {
  return Promise.all(
    (await project.listPlans()).map(async ({ name, file }) => {
      const plan = await project.plan(file).catch(() => undefined);
      return {
        name,
        file,
        title: plan?.title ?? "",
        table: plan ? sourceName(plan.table) : "",
        fills: plan ? Object.values(plan.steps).flatMap(columnsOf) : [],
        templates: plan ? templatesOf(plan) : [],
        broken: !plan,
      };
    }),
  );
}

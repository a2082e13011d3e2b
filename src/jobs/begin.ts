import { readdir, stat } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { isMade, inDatabase, sourceName, YoroshiError } from "../core/index.js";
import { insideProject, type Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { keysAt, lookAt, tablePlace, tableLook, type TablePlace, type UseRows } from "./look-at-table.js";
import { draftTemplate } from "./new-template.js";
import { addStep } from "./plan-files.js";
import { count } from "./schemas.js";
import { numberedCopy, startReport, startShape, writeStart } from "./start-project.js";

const TABLES = /\.(csv|tsv|xlsx|xlsm|ods|jsonl|ndjson)$/i;
const RESULTS = /\.filled\.[^.]+$/i;
const SHOWN_ROWS = 12;

/** What a database said instead of its tables. */
const problemOf = (error: unknown): string => (error instanceof Error ? error.message : "it could not be asked");

/** The tables around which a plan could be made. */
export const findTables = defineJob({
  name: "findTables",
  summary: "Lists the table files in the project's folder and the tables of its databases, each with the plans that are at it.",
  input: z.strictObject({}),
  report: z.object({
    files: z.array(z.object({ file: z.string(), bytes: count, changedAt: z.iso.datetime(), plans: z.array(z.string()) })),
    databases: z.array(
      z.object({
        database: z.string(),
        tables: z.array(z.object({ table: z.string(), plans: z.array(z.string()) })),
        /** Why its tables cannot be told. */
        problem: z.string().optional(),
      }),
    ),
  }),
  async run(project) {
    const plans = await plansAt(project);
    const names = (await readdir(project.root)).filter((name) => TABLES.test(name) && !RESULTS.test(name)).sort();
    const files = await Promise.all(
      names.map(async (file) => {
        const { size, mtime } = await stat(path.join(project.root, file));
        return { file, bytes: size, changedAt: mtime.toISOString(), plans: plans.get(file) ?? [] };
      }),
    );
    const databases = await Promise.all(
      Object.keys(project.settings.databases).map(async (database) => {
        try {
          const tables = await project.databaseTables(database);
          return { database, tables: tables.map((table) => ({ table, plans: plans.get(`${database}:${table}`) ?? [] })) };
        } catch (error) {
          return { database, tables: [], problem: problemOf(error) };
        }
      }),
    );
    return { files, databases };
  },
});

/** Table -> the plans that are at it; a plan with mistakes is at none. */
async function plansAt(project: Project): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const { name } of await project.listPlans()) {
    const plan = await project.plan(name).catch(() => undefined);
    if (!plan || isMade(plan.table)) continue;
    const at = inDatabase(plan.table) ? `${plan.table.database}:${plan.table.table}` : sourceName(plan.table);
    found.set(at, [...(found.get(at) ?? []), name]);
  }
  return found;
}

/** A place inside the project: a file of its folder, or a table of a database that yoroshi.yaml names. */
function placeIn({ root, settings }: Project, place: TablePlace): TablePlace {
  if (!("file" in place)) return { ...place, as: place.database };
  return { ...place, file: path.relative(root, insideProject(root, place.file, settings.folders)) };
}

const rowsIn =
  ({ tables }: Project): UseRows =>
  async (place, use) =>
    use(await tables.rows("file" in place ? { ...place, anywhere: true } : { database: place.database, table: place.table }));

/** A table for which there is no plan yet, with its first rows. */
export const lookAtNew = defineJob({
  name: "lookAtNew",
  summary: "Looks at a table of the project for which there is no plan yet: sheet, header, columns, first rows.",
  input: z.strictObject({ place: tablePlace }),
  report: z.object({ look: tableLook, rows: z.array(z.record(z.string(), z.string())) }),
  async run(project, { place }) {
    const { look, rows } = await lookAt(project.root, placeIn(project, place), rowsIn(project));
    return { look, rows: rows.slice(0, SHOWN_ROWS).map((row) => ({ ...row })) };
  },
});

/** The columns that name every row of such a table. Reads all of it. */
export const findNewKeys = defineJob({
  name: "findNewKeys",
  summary: "Goes through a whole table of the project and tells which columns name each of its rows.",
  input: z.strictObject({ place: tablePlace }),
  report: z.object({ rows: count, candidates: z.array(z.object({ column: z.string(), blank: count })) }),
  async run(project, { place }, { signal }) {
    return keysAt(placeIn(project, place), rowsIn(project), signal);
  },
});

/** A template and a plan around a table of the project. */
export const beginPlan = defineJob({
  name: "beginPlan",
  summary: "Makes a template and a plan around a table of the project, and yoroshi.yaml where there is none. Overwrites nothing.",
  input: z.strictObject({
    place: tablePlace,
    ...startShape,
    key: startShape.key.optional(),
    /** Without a key: the rows are numbered in a copy, whose column of numbers has this name. */
    number: z.string().min(1).optional(),
    /** In one's own words: a model drafts a template from them, which a further step asks. Of a file alone. */
    words: z.string().min(1).optional(),
  }),
  report: z.object({
    ...startReport.shape,
    /** The template that was drafted from one's own words. */
    drafted: z.string().optional(),
    /** Why there is none. */
    draftProblem: z.string().optional(),
  }),
  async run(project, { words, ...wish }) {
    const made = await makePlan(project, wish);
    return words === undefined ? made : { ...made, ...(await draftStep(project, made.plan, words)) };
  },
});

type Made = Awaited<ReturnType<typeof writeStart>>;
type Wish = Parameters<typeof writeStart>[3];

async function makePlan(
  project: Project,
  {
    place: given,
    number,
    key,
    ...wish
  }: Omit<Wish, "key"> & { place: TablePlace; number?: string | undefined; key?: Wish["key"] | undefined },
): Promise<Made> {
  const place = placeIn(project, given);
  if (key !== undefined) return begun(project, place, { ...wish, key });
  if (number === undefined)
    throw new YoroshiError("badInput", { job: "beginPlan", problems: ["say a `key`, or by `number` that the rows are to be numbered"] });
  const { file } = await numberedCopy(project.root, place, number, rowsIn(project));
  return begun(project, { file }, { ...wish, key: number });
}

/** A step that asks a template which a model drafted. Where it cannot, the plan stands without it. */
async function draftStep(project: Project, plan: string, words: string): Promise<{ drafted?: string; draftProblem?: string }> {
  const { table } = await project.plan(plan);
  if (!("file" in table)) return { draftProblem: "a draft is made from the columns of a file; this is a database's table" };
  const { file, sheet, headerRow } = table;
  const template = `${plan}-words`;
  const draft = await draftTemplate.run(project, { template, description: words, table: file, sheet, headerRow, write: true }, {});
  if (!draft.written) return { draftProblem: draft.reason ?? "the model's draft has mistakes and cannot be used" };
  await addStep.run(project, { plan, template }, {});
  return { drafted: template };
}

async function begun(project: Project, place: TablePlace, wish: Wish): Promise<Made> {
  const { look } = await lookAt(project.root, place, rowsIn(project));
  return writeStart(project.root, place, look as Parameters<typeof writeStart>[2], wish);
}

import { existsSync } from "node:fs";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { stringify } from "yaml";
import * as z from "zod";
import {
  isMade,
  columnsOf,
  columnsRead,
  isTemplateStep,
  keyColumnsOf,
  nearest,
  PLAN_FORMAT,
  readPlan,
  YoroshiError,
  type InputSpec,
  type Plan,
  type Template,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { withStep, withValue } from "./edit-yaml.js";
import { defineJob } from "./job.js";
import { findKeys, lookAtTable, type TablePlace } from "./look-at-table.js";
import { slugOf } from "./start-files.js";

const mapping = z.record(z.string(), z.string());

const stepReport = z.object({
  plan: z.string(),
  file: z.string(),
  step: z.string(),
  /** Input -> column, guessed from names unless it was said. */
  inputs: mapping,
  /** Column -> part. */
  fill: mapping,
});

/** One more step of a plan: a template, its inputs mapped to columns of the same or nearly the same names. */
export const addStep = defineJob({
  name: "addStep",
  summary: "Adds a template to a plan as a further step; inputs are mapped to columns by their names. All else in the file stays.",
  input: z.strictObject({
    plan: z.string(),
    template: z.string(),
    step: z.string().optional(),
    /** Input -> column, where names do not tell. */
    map: mapping.optional(),
  }),
  report: stepReport,
  async run(project, { plan: name, template: wanted, step: asked, map = {} }) {
    const { template } = await project.template(wanted);
    const plan = await project.plan(name);
    const file = await planFile(project, plan.name);
    const columns = await (await project.table(plan)).columns();
    const filled = Object.values(plan.steps).flatMap(columnsOf);
    const step = freeStep(plan, asked ?? slugOf(template.name));
    const made = stepFor(template, [...columns, ...filled], map);
    await writeChecked(project, file, withStep(await readFile(path.join(project.root, file), "utf8"), step, made, file));
    return { plan: plan.name, file, step, inputs: made.inputs, fill: made.fill };
  },
});

/** A new plan: a template over a table, its mapping guessed from names. */
export const newPlan = defineJob({
  name: "newPlan",
  summary: "Writes a plan that fills a table by a template; key and inputs are found by names and by what stands in the columns.",
  input: z.strictObject({
    plan: z.string(),
    template: z.string(),
    file: z.string(),
    sheet: z.string().optional(),
    headerRow: z.int().min(1).optional(),
    key: z.array(z.string()).min(1).optional(),
    map: mapping.optional(),
  }),
  report: z.object({ ...stepReport.shape, key: z.array(z.string()) }),
  async run(project, { plan: name, template: wanted, file: given, sheet, headerRow, key, map = {} }) {
    if (!/^[a-z0-9][a-z0-9-]*$/.test(name))
      throw new YoroshiError("badOption", {
        option: name,
        problem: "a name is made of small letters, digits and hyphens (for example `deck-log`).",
      });
    const table = nameInPlans(project, given);
    const file = path.join("plans", `${name}.yaml`);
    if (existsSync(path.join(project.root, file)))
      throw new YoroshiError("badOption", {
        option: name,
        problem: `${file} exists. \`--add ${wanted}\` adds a step to it; \`--table\` alone points it at another table.`,
      });
    const { template } = await project.template(wanted);
    const place: TablePlace = { file: table, ...(sheet === undefined ? {} : { sheet }), ...(headerRow === undefined ? {} : { headerRow }) };
    const look = await lookAtTable.run(undefined, { folder: project.root, place }, {});
    const keys =
      key ??
      (await findKeys.run(undefined, { folder: project.root, place: { ...place, ...chosenPart(look) } }, {})).candidates
        .slice(0, 1)
        .map(({ column }) => column);
    if (keys.length === 0)
      throw new YoroshiError("badOption", {
        option: "--key",
        problem: `no column of ${table} names each of its rows. Name several that do together, or begin with \`yoroshi start ${table}\`, which offers to number the rows.`,
      });
    const made = stepFor(
      template,
      look.columns.map((column) => column.name),
      map,
    );
    const step = slugOf(template.name);
    const source = { file: table, ...chosenPart(look), key: keys.length === 1 ? keys[0]! : keys };
    const text = stringify({ yoroshi: PLAN_FORMAT, name, table: source, steps: { [step]: made } }, { lineWidth: 120 });
    await mkdir(path.join(project.root, "plans"), { recursive: true });
    await writeChecked(project, file, text);
    return { plan: name, file, step, inputs: made.inputs, fill: made.fill, key: keys };
  },
});

const chosenPart = ({
  sheet,
  headerRow,
}: {
  sheet?: string | undefined;
  headerRow?: number | undefined;
}): { sheet?: string; headerRow?: number } => ({
  ...(sheet === undefined ? {} : { sheet }),
  ...(headerRow === undefined ? {} : { headerRow }),
});

/** A file as plans name it: from the project's folder on, whatever way it was said. */
const nameInPlans = ({ root }: Project, file: string): string => path.relative(root, path.resolve(root, file)).split(path.sep).join("/");

/** A plan that stands, pointed at the next file: Monday's workbook. */
export const pointPlan = defineJob({
  name: "pointPlan",
  summary:
    "Points a plan at another table: columns are matched, known answers are reused, edits and decisions stay with the old table unless they are carried.",
  input: z.strictObject({
    plan: z.string(),
    file: z.string(),
    /** Edits and decisions go over to the rows with the same keys. */
    carry: z.boolean().optional(),
    /** Column that the plan reads -> column of the new table, where names do not tell. */
    map: mapping.optional(),
    /** Only tell how columns would be matched, and which are missing; nothing is changed. */
    check: z.boolean().optional(),
  }),
  report: z.object({
    plan: z.string(),
    file: z.string(),
    /** Columns that the plan reads and the new table has not under any such name; with a `check` alone. */
    missing: z.array(z.string()).optional(),
    /** The columns of the new table; with a `check` alone. */
    known: z.array(z.string()).optional(),
    /** The table until now, and from now on. */
    from: z.string(),
    to: z.string(),
    /** Column that the plan reads -> column of the new table. */
    columns: mapping,
    carried: z.boolean(),
    /** Whether the plan was at this table before, so that what was known of its rows is back. */
    isBack: z.boolean(),
  }),
  async run(project, { plan: name, file: given, carry = false, map = {}, check = false }) {
    const plan = await project.plan(name);
    if (!("file" in plan.table) || isMade(plan.table))
      throw new YoroshiError("badOption", {
        option: "--table",
        problem: `the plan ${plan.name} is at no file of its own. Change its table in an editor.`,
      });
    const table = nameInPlans(project, given);
    const wasThere = (await project.ledger().facts.get(asideNote(plan.name, table))) === true;
    if (carry && wasThere)
      throw new YoroshiError("badOption", {
        option: "--carry",
        problem: `the plan was at ${table} before, and what was edited and decided there comes back. Leave --carry out.`,
      });
    const file = await planFile(project, plan.name);
    const reads = [...new Set([...keyColumnsOf(plan.table.key), ...(await columnsOfSteps(project, plan))])];
    const place: TablePlace = { file: table, ...chosenPart(plan.table) };
    const look = await lookAtTable.run(undefined, { folder: project.root, place }, {});
    const known = look.columns.map((column) => column.name);
    const missing = check ? reads.filter((column) => !isMatched(column, known, map, table)) : [];
    const columns = Object.fromEntries(
      reads.filter((column) => !missing.includes(column)).map((column) => [column, matched(column, known, map, table)]),
    );
    if (check)
      return { plan: plan.name, file, from: plan.table.file, to: table, columns, carried: false, isBack: wasThere, missing, known };
    let text = await readFile(path.join(project.root, file), "utf8");
    for (const at of renamedPlaces(plan, columns)) text = withValue(text, at.path, at.to, file);
    const from = plan.table.file;
    text = withValue(text, ["table", "file"], table, file);
    await writeChecked(project, file, text);
    const isBack = from === table || carry ? false : await swapCells(project, plan.name, from, table);
    return { plan: plan.name, file, from, to: table, columns, carried: carry, isBack };
  },
});

/** The name that cells of a plan have while the plan is at another file. */
const asideName = (plan: string, file: string): string => `${plan} (${file})`;
const asideNote = (plan: string, file: string): string => `aside:${asideName(plan, file)}`;

/** What was known of the old table's rows is put aside, and what was known of the new one's comes back. */
async function swapCells(project: Project, plan: string, from: string, to: string): Promise<boolean> {
  const { cells, facts } = project.ledger();
  await cells.rename(plan, asideName(plan, from));
  const isBack = (await facts.get(asideNote(plan, to))) === true;
  if (isBack) {
    await cells.rename(asideName(plan, to), plan);
    await facts.set(asideNote(plan, to), null);
  }
  await facts.set(asideNote(plan, from), true);
  await facts.set(`settled:${plan}`, null);
  return isBack;
}

/** Every column of its table that a plan reads: for inputs and in conditions; not what its own steps fill. */
async function columnsOfSteps(project: Project, plan: Plan): Promise<string[]> {
  const filled = new Set(Object.values(plan.steps).flatMap(columnsOf));
  const found: string[] = [];
  for (const step of Object.values(plan.steps)) {
    const template = isTemplateStep(step) ? (await project.stepTemplate(step)).template : undefined;
    const optional = new Set(
      Object.entries(template?.inputs ?? {}).flatMap(([name, spec]) => ((spec as InputSpec).required === false ? [name] : [])),
    );
    found.push(
      ...columnsRead(step, template).filter(
        (column) => !optional.has(column) || (isTemplateStep(step) && Object.values(step.inputs).includes(column)),
      ),
    );
  }
  return found.filter((column) => !filled.has(column) && !(column in (plan.related ?? {})));
}

/** Where a plan names columns that the new table calls otherwise. */
function renamedPlaces(
  plan: Plan,
  columns: Readonly<Record<string, string>>,
): { readonly path: (string | number)[]; readonly to: string }[] {
  const found: { path: (string | number)[]; to: string }[] = [];
  const { key } = plan.table;
  if (typeof key === "string" && columns[key] !== key) found.push({ path: ["table", "key"], to: columns[key]! });
  if (typeof key !== "string")
    key.forEach((column, index) => columns[column] !== column && found.push({ path: ["table", "key", index], to: columns[column]! }));
  for (const [name, step] of Object.entries(plan.steps)) {
    if (!isTemplateStep(step)) continue;
    for (const [input, column] of Object.entries(step.inputs))
      if (columns[column] !== undefined && columns[column] !== column)
        found.push({ path: ["steps", name, "inputs", input], to: columns[column] });
  }
  return found;
}

const bareName = (name: string): string =>
  name
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, "");

function isMatched(...about: Parameters<typeof matched>): boolean {
  try {
    matched(...about);
    return true;
  } catch {
    return false;
  }
}

/** The column of a table that is meant by a name: the same; the same but for case, spaces and marks; or the one that was said. */
function matched(column: string, known: readonly string[], map: Readonly<Record<string, string>>, table: string): string {
  const said = map[column];
  if (said !== undefined && known.includes(said)) return said;
  if (said === undefined && known.includes(column)) return column;
  const alike = said === undefined ? known.filter((one) => bareName(one) === bareName(column)) : [];
  if (alike.length === 1) return alike[0]!;
  const near = nearest(said ?? column, known);
  throw new YoroshiError("badOption", {
    option: "--table",
    problem: `${table} has no column \`${said ?? column}\`.${near ? ` If it is \`${near}\` now, say --map "${column}=${near}".` : ` Columns: ${known.slice(0, 20).join(", ")}.`}`,
  });
}

interface MadeStep {
  readonly template: string;
  readonly inputs: Record<string, string>;
  readonly fill: Record<string, string>;
}

/** A step for a template over these columns. @throws YoroshiError `badOption` where an input finds none. */
function stepFor(template: Template, columns: readonly string[], map: Readonly<Record<string, string>>): MadeStep {
  const inputs: Record<string, string> = {};
  for (const [input, spec] of Object.entries(template.inputs)) {
    const about = (spec as InputSpec).about ?? "";
    const said = map[input];
    const found =
      said ??
      columns.find((column) => column === input) ??
      columns.find((column) => bareName(column) === bareName(input)) ??
      columns.find((column) => about.includes(column) && column.length > 2) ??
      nearest(input, columns);
    if (found !== undefined && columns.includes(found)) inputs[input] = found;
    else if ((spec as InputSpec).required !== false || said !== undefined)
      throw new YoroshiError("badOption", {
        option: "--map",
        problem: `no column is named like the input \`${input}\` of ${template.name}. Say --map "${input}=<column>". Columns: ${columns.slice(0, 20).join(", ")}.`,
      });
  }
  const fill: Record<string, string> = {};
  for (const part of Object.keys(template.answer)) {
    let column = part;
    for (let n = 2; columns.includes(column); n++) column = `${part} ${n}`;
    fill[column] = part;
  }
  return { template: template.name, inputs, fill };
}

function freeStep({ steps }: Plan, base: string): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? base : `${base}-${n}`;
    if (!(name in steps)) return name;
  }
}

async function planFile(project: Project, name: string): Promise<string> {
  const found = (await project.listPlans()).find((plan) => plan.name === name);
  if (!found) throw new YoroshiError("notFound", { what: "plan", name, known: (await project.listPlans()).map((plan) => plan.name) });
  return found.file;
}

/** Writes a plan's file once it reads without a mistake. */
async function writeChecked(project: Project, file: string, text: string): Promise<void> {
  const { complaints } = readPlan(text, file);
  if (complaints.length > 0) throw new YoroshiError("filesInvalid", { complaints });
  await writeFile(path.join(project.root, file), text);
}

import * as z from "zod";
import {
  adviseCondition,
  checkFilled,
  columnsOf,
  nearest,
  readCondition,
  REFILLS,
  toMicros,
  YoroshiError,
  type FillOptions,
  type FillSetup,
  type ViewQuery,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { queryShape } from "./query-shape.js";
import { viewOf } from "./views.js";

/** Which rows and columns a fill is about, and within which limits. */
export const choiceShape = {
  plan: z.string(),
  /** Which cells are asked about: those without a value, those out of date, those that failed, all; each takes in the ones before it. */
  refill: z.enum(REFILLS as [string, ...string[]]).optional(),
  /** Only the steps that fill these columns; asks again where nothing else is said. */
  columns: z.array(z.string()).readonly().optional(),
  /** Only the rows with these keys. */
  only: z.array(z.string()).readonly().optional(),
  /** Only the rows for which this CEL over `row` holds. */
  where: z.string().optional(),
  /** Only the rows that are found so when the table is looked at; see `readRows`. */
  found: z.strictObject(queryShape).optional(),
  /** Most rows to ask about. */
  rows: z.int().min(0).optional(),
  /** So many rows, drawn at random from those that are chosen otherwise. */
  sample: z.int().min(1).optional(),
  seed: z.int().optional(),
  /** Columns in which a person's edits may be overwritten. */
  overwrite: z.array(z.string()).readonly().optional(),
  /** What values that the ledger knows nothing of are taken for. */
  standing: z.enum(["keep", "renew"]).optional(),
  /** Most to spend, in units of the currency. */
  spend: z.number().min(0).optional(),
  createColumns: z.boolean().optional(),
} as const;

export type Choice = z.output<z.ZodObject<typeof choiceShape>>;

/**
 * The options of a fill for a choice.
 *
 * @throws YoroshiError `badOption` for columns that are not there, and for a column that would be asked again in every row unsaid.
 */
export async function optionsFor(
  project: Project,
  setup: FillSetup,
  { refill, columns, only, where, rows, sample, seed, overwrite, standing, spend, createColumns, found }: Choice,
): Promise<FillOptions> {
  await checkWhere(setup, where);
  checkFilled(setup.plan, "--column", columns);
  checkFilled(setup.plan, "--overwrite", overwrite);
  if (columns && !only && !found && where === undefined && sample === undefined) {
    throw new YoroshiError("badOption", {
      option: "--column",
      problem: "say for which rows it is asked again: --only KEY, --where or --sample. All rows: --refill all.",
    });
  }
  return {
    refill: (refill ?? (columns ? "all" : undefined)) as FillOptions["refill"],
    columns,
    only: found ? await keysFound(project, setup.plan.name, found, only) : only,
    where,
    rows,
    sample,
    seed,
    overwrite,
    standing,
    createColumns,
    spendCap: spend === undefined ? undefined : toMicros(spend),
  };
}

/** The keys of rows as they are found now; of these alone those that were named. */
async function keysFound(
  project: Project,
  plan: string,
  found: NonNullable<Choice["found"]>,
  only: readonly string[] | undefined,
): Promise<string[]> {
  const { view } = await viewOf(project, plan);
  const keys = view.keys(found as ViewQuery);
  if (!only) return keys;
  const named = new Set(only);
  return keys.filter((key) => named.has(key));
}

/** A column that the table does not have would quietly leave every row out. */
async function checkWhere({ table: source, plan }: FillSetup, where: string | undefined): Promise<void> {
  const { condition, problem } = where === undefined ? {} : readCondition(where);
  if (problem !== undefined)
    throw new YoroshiError("badOption", {
      option: "--where",
      problem: `this condition cannot be read as CEL: ${adviseCondition(where!, problem)}.`,
    });
  const known = [
    ...new Set([...(await source.columns()), ...Object.values(plan.steps).flatMap(columnsOf), ...Object.keys(plan.related ?? {})]),
  ];
  for (const column of condition?.columns ?? []) {
    if (known.includes(column)) continue;
    const near = nearest(column, known);
    throw new YoroshiError("badOption", {
      option: "--where",
      problem: `${source.name} has no column \`${column}\`.${near ? ` Did you mean \`${near}\`?` : ` Columns: ${known.join(", ")}.`}`,
    });
  }
}

/** The ids of all models that a plan asks. */
export const modelIds = ({ asking }: FillSetup): string => [...new Set(Object.values(asking).map(({ model }) => model.id))].join(", ");

/** The first model that a plan asks and that has no price. */
export const withoutPrice = ({ asking }: FillSetup): string | undefined =>
  Object.values(asking).find(({ model }) => !model.price)?.model.id;

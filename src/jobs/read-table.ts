import * as z from "zod";
import { columnFigures, type ViewQuery } from "../core/index.js";
import { defineJob } from "./job.js";
import { cellState, count } from "./schemas.js";
import { viewOf } from "./views.js";

const MOST_ROWS = 1_000;

export const queryShape = {
  /** Words that a row has somewhere, all of them. */
  search: z.string().max(1_000).optional(),
  /** What must hold of columns; all of it. */
  filters: z
    .array(
      z.strictObject({
        column: z.string(),
        is: z.array(z.string()).optional(),
        not: z.array(z.string()).optional(),
        has: z.string().optional(),
        /** Numbers by size, all else as text: days as 2026-03-01. */
        atLeast: z.string().optional(),
        atMost: z.string().optional(),
        state: z.array(cellState).optional(),
        blank: z.boolean().optional(),
      }),
    )
    .max(50)
    .optional(),
  /** CEL over `row`, filled columns included. */
  where: z.string().max(5_000).optional(),
} as const;

const input = z.strictObject({
  plan: z.string(),
  ...queryShape,
  sort: z
    .array(z.strictObject({ column: z.string(), descending: z.boolean().optional() }))
    .max(5)
    .optional(),
  /** The first row of the page among those found. Default 0. */
  from: z.int().min(0).optional(),
  /** Default 100. */
  limit: z.int().min(1).max(MOST_ROWS).optional(),
  /** Read the table again, though nothing tells that it has changed. */
  fresh: z.boolean().optional(),
});

const column = z.object({
  name: z.string(),
  /** Of a column that the plan fills: its step; the answer's part and its kind, where it is no plain column. */
  filled: z.object({ step: z.string(), part: z.string().optional(), kind: z.string().optional() }).optional(),
});

const row = z.object({
  key: z.string(),
  place: z.string(),
  /** In the order of the columns. */
  values: z.array(z.string()),
  /** Column -> how its cell stands, where it is not simply filled. */
  states: z.record(z.string(), z.object({ state: cellState, reason: z.string().optional(), held: z.string().optional() })),
  problem: z.string().optional(),
});

const report = z.object({
  plan: z.string(),
  table: z.string(),
  /** Where results go. */
  target: z.string(),
  key: z.array(z.string()),
  columns: z.array(column),
  /** All rows of the table, and those found. */
  rows: count,
  found: count,
  from: count,
  page: z.array(row),
  /** When the table's own rows were read. */
  readAt: z.iso.datetime(),
});

export type TablePage = z.output<typeof report>;

/** A page of a plan's table, with the columns that it fills and how their cells stand. */
export const readRows = defineJob({
  name: "readRows",
  summary: "Gives a page of a plan's table, sorted, filtered and searched, with how each filled cell stands. Asks nothing.",
  input,
  report,
  async run(project, { plan, from = 0, limit = 100, fresh, ...query }) {
    const { view, setup, readAt } = await viewOf(project, plan, fresh);
    const page = view.page(query as ViewQuery, { from, limit });
    return {
      plan: setup.plan.name,
      table: setup.table.name,
      target: setup.table.target,
      key: [...setup.table.keyColumns],
      columns: view.columns.map(({ name, filled }) => ({ name, ...(filled ? { filled: { ...filled } } : {}) })),
      ...page,
      page: page.page.map((one) => ({ ...one, values: [...one.values], states: { ...one.states } })),
      readAt: new Date(readAt).toISOString(),
    };
  },
});

/** How the values of one column are distributed. */
export const readColumn = defineJob({
  name: "readColumn",
  summary: "Tells how the values of a column are distributed, in all rows or in those that are looked for.",
  input: z.strictObject({ plan: z.string(), column: z.string(), ...queryShape }),
  report: z.object({
    plan: z.string(),
    column: z.string(),
    of: z.enum(["numbers", "days", "values"]),
    rows: count,
    blank: count,
    different: count,
    bins: z.array(z.object({ value: z.string(), to: z.string().optional(), rows: count })),
    others: count,
    numbers: z.object({ least: z.number(), most: z.number(), mean: z.number(), median: z.number() }).optional(),
    states: z.partialRecord(cellState, count).optional(),
  }),
  async run(project, { plan, column: name, ...query }) {
    const { view, setup } = await viewOf(project, plan);
    const { values, states } = view.column(name, query as ViewQuery);
    const { bins, ...figures } = columnFigures(values, states);
    return { plan: setup.plan.name, column: name, ...figures, bins: bins.map((bin) => ({ ...bin })) } as never;
  },
});

import * as z from "zod";
import { columnFigures, crossFigures, type FillSetup, type TableView, type ViewQuery } from "../core/index.js";
import { defineJob } from "./job.js";
import { partShape } from "./part-told.js";
import { queryShape, sortShape } from "./query-shape.js";
import { columnsTold } from "./review-rows.js";
import { cellState, count, plain } from "./schemas.js";
import { viewOf } from "./views.js";

const MOST_ROWS = 1_000;

const input = z.strictObject({
  plan: z.string(),
  ...queryShape,
  sort: sortShape,
  /** The first row of the page among those found. Default 0. */
  from: z.int().min(0).optional(),
  /** Default 100. */
  limit: z.int().min(1).max(MOST_ROWS).optional(),
  /** Read the table again, though nothing tells that it has changed. */
  fresh: z.boolean().optional(),
  /** Do not wait until the table is read whole: give the rows that are there, and say how far it is. Only in the table's own order. */
  early: z.boolean().optional(),
});

const column = z.object({
  name: z.string(),
  /** Of a column that the plan fills: its step; the answer's part and its kind, where it is no plain column. */
  filled: z
    .object({
      step: z.string(),
      template: z.string().optional(),
      version: z.int().optional(),
      part: z.string().optional(),
      kind: z.string().optional(),
      /** What a person may put into it. */
      takes: partShape.optional(),
    })
    .optional(),
});

const seenState = z.object({
  state: cellState,
  reason: z.string().optional(),
  /** What waits for a decision. */
  held: z.string().optional(),
  /** Who put the value there instead of a model, and why; "" where nobody said who. */
  by: z.object({ person: z.string(), reason: z.string().optional() }).optional(),
});

const row = z.object({
  key: z.string(),
  place: z.string(),
  /** In the order of the columns. */
  values: z.array(z.string()),
  /** Column -> how its cell stands, where it is not simply filled. */
  states: z.record(z.string(), seenState),
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
  /** How much of the table is read, 0 to 1, where it is not whole yet. */
  reading: z.number().optional(),
});

export type TablePage = z.output<typeof report>;

/** The columns of a view, with what each that is filled takes. */
function columnsSeen(view: TableView, setup: FillSetup): z.input<typeof column>[] {
  const takes = columnsTold(setup);
  return view.columns.map(({ name, filled }) => {
    if (!filled) return { name };
    const asked = setup.asking[filled.step];
    const part = takes[filled.step]?.find((one) => one.column === name);
    return {
      name,
      filled: {
        ...filled,
        ...(asked ? { template: asked.prepared.template.name } : {}),
        ...(asked?.version === undefined ? {} : { version: asked.version }),
        ...(part ? { takes: partShape.parse(part) } : {}),
      },
    };
  });
}

/** A page of a plan's table, with the columns that it fills and how their cells stand. */
export const readRows = defineJob({
  name: "readRows",
  summary: "Gives a page of a plan's table, sorted, filtered and searched, with how each filled cell stands. Asks nothing.",
  input,
  report,
  async run(project, { plan, from = 0, limit = 100, fresh, early = false, ...query }) {
    const isEarly =
      early && Object.values(query).every((one) => one === undefined || one === "" || (Array.isArray(one) && one.length === 0));
    const { view, setup, readAt, share } = await viewOf(project, plan, { fresh, isEarly });
    const page = view.page(query as ViewQuery, { from, limit });
    return {
      plan: setup.plan.name,
      table: setup.table.name,
      target: setup.table.target,
      key: [...setup.table.keyColumns],
      columns: columnsSeen(view, setup),
      ...page,
      page: page.page.map((one) => ({ ...one, values: [...one.values], states: { ...one.states } })),
      readAt: new Date(readAt).toISOString(),
      ...(share === undefined ? {} : { reading: share }),
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

const share = z.object({ rows: count, share: z.number(), interval: z.object({ low: z.number(), high: z.number() }) });

/** How the values of one column are distributed by another, or over time. */
export const readCross = defineJob({
  name: "readCross",
  summary: "Tells how the values of a column are distributed by another column, or over time, each share with its interval.",
  input: z.strictObject({ plan: z.string(), column: z.string(), across: z.string(), ...queryShape }),
  report: z.object({
    plan: z.string(),
    column: z.string(),
    across: z.string(),
    of: z.enum(["numbers", "values"]),
    values: z.array(z.string()),
    groups: z.array(
      z.object({
        by: z.string(),
        to: z.string().optional(),
        rows: count,
        shares: z.record(z.string(), share),
        mean: z.object({ value: z.number(), interval: z.object({ low: z.number(), high: z.number() }).nullable() }).optional(),
      }),
    ),
    others: count,
  }),
  async run(project, { plan, column: name, across, ...query }) {
    const { view, setup } = await viewOf(project, plan);
    const figures = crossFigures(view.column(name, query as ViewQuery).values, view.column(across, query as ViewQuery).values);
    return { plan: setup.plan.name, column: name, across, ...plain(figures) };
  },
});

/** How the cells of a table stand, by column and by row. */
export const readStanding = defineJob({
  name: "readStanding",
  summary: "Counts how the cells of a plan's table stand: by column, and how many rows have a cell in each state. Asks nothing.",
  input: z.strictObject({ plan: z.string(), ...queryShape }),
  report: z.object({
    plan: z.string(),
    rows: count,
    found: count,
    columns: z.record(z.string(), z.partialRecord(cellState, count)),
    rowsWith: z.partialRecord(cellState, count),
  }),
  async run(project, { plan, ...query }) {
    const { view, setup } = await viewOf(project, plan);
    const { found, columns, rows } = view.standing(query as ViewQuery);
    return { plan: setup.plan.name, rows: view.rows, found, columns: { ...columns }, rowsWith: { ...rows } };
  },
});

/** Where a row stands in a table as it is looked at. */
export const findRow = defineJob({
  name: "findRow",
  summary: "Tells at which place a row stands among those that are looked for; or the next row of which a person is told something.",
  input: z.strictObject({
    plan: z.string(),
    ...queryShape,
    sort: sortShape,
    /** The row's key; or */
    key: z.string().optional(),
    /** the place from which the next row is looked for that has a stale, edited, held, failed or skipped cell. */
    after: z.int().min(-1).optional(),
    /** The one before instead. */
    back: z.boolean().optional(),
  }),
  report: z.object({ plan: z.string(), place: count.nullable(), key: z.string().nullable() }),
  async run(project, { plan, key, after = -1, back = false, ...query }) {
    const { view, setup } = await viewOf(project, plan);
    if (key !== undefined) return { plan: setup.plan.name, place: view.placeOf(query as ViewQuery, key) ?? null, key };
    const next = view.nextNoted(query as ViewQuery, after, back);
    return { plan: setup.plan.name, place: next?.place ?? null, key: next?.key ?? null };
  },
});

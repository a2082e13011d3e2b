import * as z from "zod";
import {
  countWaiting,
  currentCheck,
  partAt,
  rowsToCheck,
  ruleTold,
  sentenceOf,
  stepsOf,
  waitingRows,
  type CheckRecord,
  type FillSetup,
  type WaitingRow,
} from "../core/index.js";
import { defineJob } from "./job.js";
import { partShape, partTold } from "./part-told.js";
import { cellValue, count, decisionShape } from "./schemas.js";
import { toldDecision } from "./told.js";

/** What a person needs to know of a column to decide about it. */
const column = z.object({ column: z.string(), ...partShape.shape, freeText: z.boolean() });

const value = z.object({
  column: z.string(),
  value: cellValue,
  /** The mark of what is judged: `decide` refuses one that has changed since. */
  judged: z.string(),
  /** What stands in the table meanwhile: the earlier value, or a person's. */
  stands: cellValue.optional(),
  edited: z.string().optional(),
  /** What others said of this value already, where several must agree. */
  said: z.array(decisionShape),
  disputed: z.boolean(),
  /** What was decided about earlier answers to the row, newest first. */
  earlier: z.array(decisionShape),
});

const row = z.object({
  step: z.string(),
  key: z.string(),
  place: z.string(),
  /** The row as it was asked about; what the template reads stands first. */
  row: z.record(z.string(), z.string()),
  /** The columns that the template reads. */
  reads: z.array(z.string()),
  values: z.array(value),
  besides: z.record(z.string(), cellValue),
  /** The rules that hold it, by name and in words. */
  rules: z.array(z.string()),
  why: z.string(),
  since: z.iso.datetime(),
  notes: z.array(z.string()),
  version: z.int().optional(),
  model: z.string().optional(),
  like: z.string(),
  /** How many rows wait with values that say the same, this one counted. */
  alike: count,
});

export type ReviewRow = z.output<typeof row>;

const report = z.object({
  plan: z.string(),
  people: z.int(),
  /** Step -> how many of its rows wait for a person, and how many for a random check alone. */
  held: z.record(z.string(), z.object({ person: count, check: count })),
  /** Step -> what its columns take. */
  columns: z.record(z.string(), z.array(column)),
  rows: z.array(row),
});

export type ReviewReport = z.output<typeof report>;

/** What the columns of each step that asks take. */
export function columnsTold({ plan, asking }: FillSetup): Record<string, z.output<typeof column>[]> {
  return Object.fromEntries(
    stepsOf({ plan }).map((step) => {
      const { parts } = asking[step]!.prepared;
      const own = plan.steps[step]!;
      const filled = "fill" in own ? Object.entries(own.fill) : [];
      const columns = filled.flatMap(([name, path]) => {
        const part = partAt(parts, path);
        return part ? [{ column: name, ...partTold(part), freeText: part.kind.freeText === true }] : [];
      });
      return [step, columns];
    }),
  );
}

export function toldRow(setup: FillSetup, { rules, since, notes, values, besides, row: shown, ...one }: WaitingRow): z.input<typeof row> {
  const { from } = readsOf(setup, one.step);
  return {
    ...one,
    row: { ...shown },
    reads: from,
    besides: { ...besides },
    rules: [...rules],
    why: rules.map(ruleTold).join(", "),
    since: new Date(since).toISOString(),
    notes: notes.map(sentenceOf),
    values: values.map(({ said, earlier, isDisputed, ...each }) => ({
      ...each,
      said: said.map(toldDecision),
      disputed: isDisputed,
      earlier: earlier.map(toldDecision),
    })),
  };
}

function readsOf({ plan, asking }: FillSetup, step: string): { from: string[] } {
  const own = plan.steps[step]!;
  const inputs = "inputs" in own ? own.inputs : {};
  return { from: Object.keys(asking[step]!.prepared.template.inputs).map((input) => inputs[input] ?? input) };
}

/** Rows with values that wait for a person. */
export const readReview = defineJob({
  name: "readReview",
  summary: "Gives rows whose values wait for a decision, each with its text, why it is held, and what was said of it before.",
  input: z.strictObject({
    plan: z.string(),
    /** Only what this step gave; only what this rule holds; only where this CEL over `row` holds. */
    step: z.string().optional(),
    rule: z.string().optional(),
    where: z.string().optional(),
    /** Only rows that say the same as one: its `like`. */
    like: z.string().optional(),
    /** Begins behind this row. */
    after: z.strictObject({ step: z.string(), key: z.string() }).optional(),
    /** Leaves out what this person has said already, while others must still agree. */
    notBy: z.string().optional(),
    /** Most rows. Default 20. */
    limit: z.int().min(1).max(1_000).optional(),
  }),
  report,
  async run(project, { plan, ...choice }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const rows = await waitingRows(setup, choice);
    return {
      plan: setup.plan.name,
      people: setup.plan.review?.people ?? 1,
      held: { ...(await countWaiting(setup)) },
      columns: columnsTold(setup),
      rows: rows.map((one) => toldRow(setup, one)),
    };
  },
});

const checked = z.object({
  key: z.string(),
  place: z.string(),
  row: z.record(z.string(), z.string()),
  reads: z.array(z.string()),
  /** Column -> the mark of what was drawn; without the value, unless the check is to be made with it in sight. */
  judged: z.record(z.string(), z.string()),
  values: z.record(z.string(), cellValue).optional(),
});

const checkReport = z.object({
  plan: z.string(),
  check: z.string(),
  step: z.string(),
  version: z.int(),
  model: z.string(),
  population: count,
  columns: z.array(column),
  rows: z.array(checked),
  judged: count,
  left: count,
  /** Rows whose answers have changed since they were drawn. */
  movedOn: count,
});

export type CheckReport = z.output<typeof checkReport>;

export const checkTold = (check: CheckRecord) => ({
  check: check.id,
  step: check.step,
  version: check.version,
  model: check.model,
  population: check.population,
});

/** The rows of a random check that are still to be judged: without what the model said, free words excepted. */
export const readCheck = defineJob({
  name: "readCheck",
  summary: "Gives the rows of a random check that are still to be judged, blind to what the model said.",
  input: z.strictObject({
    plan: z.string(),
    step: z.string().optional(),
    /** How many rows of the draw count. Default: the plan's `spotCheck`. */
    rows: z.int().min(1).optional(),
    /** Most rows given. Default 20. */
    limit: z.int().min(1).max(1_000).optional(),
  }),
  report: checkReport.nullable(),
  async run(project, { plan, step, rows, limit = 20 }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const [first] = stepsOf(setup, step);
    const check = await currentCheck(setup, first!);
    if (!check) return null;
    const columns = columnsTold(setup)[check.step]!.filter(({ column: name }) => check.columns.includes(name));
    const free = columns.filter(({ freeText }) => freeText).map(({ column: name }) => name);
    const most = rows ?? setup.plan.review?.spotCheck?.rows ?? 40;
    const { open, judged, movedOn } = await rowsToCheck(setup, check, most);
    return {
      plan: setup.plan.name,
      ...checkTold(check),
      columns,
      rows: open.slice(0, limit).map(({ row: drawn, columns: marks }) => ({
        key: drawn.key,
        place: drawn.place,
        row: { ...drawn.row },
        reads: readsOf(setup, check.step).from,
        judged: { ...marks },
        // Of free words nobody can say beforehand what they should be.
        values: Object.fromEntries(Object.entries(drawn.values).filter(([name]) => free.includes(name))),
      })),
      judged,
      left: open.length,
      movedOn,
    };
  },
});

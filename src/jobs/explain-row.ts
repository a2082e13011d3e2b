import * as z from "zod";
import { explainCells } from "../core/index.js";
import { defineJob } from "./job.js";
import { answerShape, cellState, cellValue, decisionShape, message, plain } from "./schemas.js";
import { reasonTold, toldAnswer, toldCells, toldDecision, toldPrompt } from "./told.js";

const input = z.strictObject({
  plan: z.string(),
  /** The row's key. */
  key: z.string(),
  /** Only the step that fills this column. */
  column: z.string().optional(),
});

/** What stands in the cells of one row that one step fills, as the ledger keeps it. */
const cellRecord = z.object({
  plan: z.string(),
  step: z.string(),
  key: z.string(),
  state: cellState,
  reason: z.string().optional(),
  reasonCode: z.string().optional(),
  fingerprint: z.string().optional(),
  values: z.record(z.string(), cellValue),
  was: z.record(z.string(), cellValue).optional(),
  notes: z.array(z.string()).optional(),
  edited: z.record(z.string(), z.string()).optional(),
  editedOn: z.string().optional(),
  form: z.int().optional(),
  past: z.array(z.string()).optional(),
  /** What waits for a decision, and by which rules. */
  held: z
    .object({
      values: z.record(z.string(), cellValue),
      by: z.record(z.string(), z.array(z.string())),
      since: z.number(),
      version: z.int().optional(),
      model: z.string().optional(),
      row: z.record(z.string(), z.string()),
      place: z.string(),
      on: z.string().optional(),
      like: z.string(),
    })
    .optional(),
  /** What was decided of the answer, by whom. */
  decided: z
    .record(
      z.string(),
      z.object({
        how: z.enum(["accept", "edit", "reject"]),
        act: z.string().optional(),
        by: z.string(),
        at: z.number(),
        reason: z.string().optional(),
      }),
    )
    .optional(),
  again: z.object({ on: z.string(), says: z.string(), before: z.string(), by: z.string() }).optional(),
  letStand: z.object({ on: z.string(), by: z.string(), at: z.number() }).optional(),
  run: z.string(),
  at: z.number(),
});

const answerRecord = z.object({
  fingerprint: z.string(),
  template: z.string(),
  version: z.int(),
  model: z.string(),
  run: z.string(),
  at: z.number(),
  basis: z.record(z.string(), z.string()).optional(),
  answer: z.object(answerShape),
});

const step = z.object({
  key: z.string(),
  place: z.string(),
  step: z.string(),
  columns: z.array(z.string()),
  state: cellState,
  reason: z.string().optional(),
  reasonCode: z.string().optional(),
  record: cellRecord.optional(),
  answer: answerRecord.optional(),
  /** As the row and the template stand now. */
  prompt: z.array(message).optional(),
  /** Whether the answer is to exactly this prompt. */
  same: z.boolean(),
  /** What people decided about the row, oldest first. */
  decisions: z.array(decisionShape),
});

const report = z.object({ plan: z.string(), table: z.string(), key: z.string(), steps: z.array(step) });

export type RowExplanation = z.output<typeof report>;
export type StepExplanation = z.output<typeof step>;

/** Everything that is known of one row's cells, step by step. Asks nothing. */
export const explainRow = defineJob({
  name: "explainRow",
  summary: "Tells how one row's cells came about: state, reason, answer, prompt and reply.",
  input,
  report,
  async run(project, { plan, key, column }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const found = await explainCells(setup, key, column);
    const decisions = await Promise.all(found.map(({ step: name }) => setup.ledger.decisions.of(setup.plan.name, name, key)));
    const steps = found.map(({ reason, record, answer, columns, prompt, inputs, ...one }, index) => ({
      ...one,
      decisions: decisions[index]!.map(toldDecision),
      ...reasonTold(reason),
      columns: [...columns],
      ...(record ? { record: toldCells(record) } : {}),
      ...(answer ? { answer: { ...plain(answer), answer: toldAnswer(answer.answer, inputs) } } : {}),
      ...(prompt ? { prompt: toldPrompt(prompt) } : {}),
    }));
    return { plan: setup.plan.name, table: setup.table.name, key, steps };
  },
});

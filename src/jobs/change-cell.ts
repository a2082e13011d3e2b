import * as z from "zod";
import {
  changeCell as change,
  decideRow,
  restoreCell as restore,
  stepOfColumn,
  workOf,
  YoroshiError,
  type FillSetup,
} from "../core/index.js";
import { defineJob } from "./job.js";
import { cellValue } from "./schemas.js";

const cell = {
  plan: z.string(),
  /** The row's key. */
  key: z.string(),
  /** A column that the plan fills. */
  column: z.string(),
  by: z.string().min(1),
};

/** A person's value in a cell. The table takes it by `writeReview`, or at the next fill. */
export const changeCell = defineJob({
  name: "changeCell",
  summary: "Puts a person's value into a cell; it stays theirs. An empty one leaves the cell blank until the row changes.",
  input: z.strictObject({ ...cell, value: z.string(), reason: z.string().optional() }),
  report: z.object({ act: z.string(), step: z.string(), is: z.enum(["decided", "open", "disputed"]) }),
  async run(project, { plan, ...what }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    await knowsRow(setup, what.key);
    return change(setup, what);
  },
});

/** The model's value where a person's stands. */
export const restoreCell = defineJob({
  name: "restoreCell",
  summary: "Puts the model's value back into a cell that a person has changed.",
  input: z.strictObject(cell),
  report: z.object({ act: z.string(), step: z.string(), value: cellValue }),
  async run(project, { plan, ...what }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    return restore(setup, what);
  },
});

/** @throws YoroshiError `keyNotFound`. */
async function knowsRow({ plan, table, ledger }: FillSetup, key: string): Promise<void> {
  for (const step of Object.keys(plan.steps)) if ((await ledger.cells.find(plan.name, step, [key])).has(key)) return;
  for await (const { rows } of table.read()) if (rows.some((row) => row.key === key)) return;
  throw new YoroshiError("keyNotFound", { keys: [key], table: table.name });
}

/** An answer that is to be asked again at the next fill, with what a person says of it. */
export const askCellAgain = defineJob({
  name: "askCellAgain",
  summary: "Has the answer that fills a cell asked again at the next fill, and tells the model what a person says of it.",
  input: z.strictObject({ ...cell, says: z.string().min(1) }),
  report: z.object({ act: z.string(), step: z.string() }),
  async run(project, { plan, key, column, says, by }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const { name: step } = stepOfColumn(workOf(setup), column);
    const { act } = await decideRow(setup, { step, key, columns: { [column]: { how: "askAgain", says } }, by });
    return { act, step };
  },
});

import * as z from "zod";
import { columnsOf, inputCells, ModelFailure, gatherInputs, sentenceOf, templateSteps, YoroshiError } from "../core/index.js";
import { defineJob } from "./job.js";
import { modelError } from "./known-error.js";
import { cellValue } from "./schemas.js";

/** The first rows of a plan's table answered, to see what comes: nothing is written but the ledger. */
export const tryFirst = defineJob({
  name: "tryFirst",
  summary: "Asks about the first rows of a plan's table and shows what would be filled; the table is not written.",
  input: z.strictObject({ plan: z.string(), rows: z.int().min(1).max(20).optional() }),
  report: z.object({
    plan: z.string(),
    columns: z.array(z.string()),
    standin: z.boolean(),
    rows: z.array(
      z.object({
        key: z.string(),
        /** What the first step reads in it. */
        text: z.string(),
        values: z.record(z.string(), cellValue),
        reason: z.string().optional(),
      }),
    ),
  }),
  async run(project, { plan, rows: most = 3 }) {
    const { setup, isStandin } = await project.fillSetup(plan, { asks: true });
    const [first] = templateSteps(setup.plan);
    if (!first) throw new YoroshiError("misuse", { problem: `The plan ${plan} has no step that asks a template.` });
    const { prepared, model } = setup.asking[first.name]!;
    const loaded = await project.stepTemplate(first.step);
    const models = await project.openModels(loaded.template);
    const found: { key: string; text: string; values: Record<string, string | number | boolean>; reason?: string }[] = [];
    for await (const { rows } of setup.table.read()) {
      for (const row of rows) {
        if (found.length >= most) break;
        if (row.problem !== undefined) continue;
        const { cells } = await inputCells(setup, row, first.name);
        const text = Object.values(cells).filter(Boolean).join(" · ");
        const reading = await gatherInputs(prepared, cells);
        if (reading.state !== "ready") continue;
        const { answer } = await project.askLoaded(loaded, prepared, models, reading.inputs).catch((error: unknown) => {
          throw error instanceof ModelFailure ? modelError(error, model.host) : error;
        });
        const values: Record<string, string | number | boolean> = {};
        if (answer.state === "answered")
          for (const [column, path] of Object.entries(first.step.fill)) {
            const part = prepared.parts.find((one) => one.name === path);
            const value = answer.parts[path];
            if (value !== undefined && value !== null && part) values[column] = typeof value === "number" ? value : part.toCell(value);
          }
        found.push({ key: row.key, text, values, ...(answer.state === "answered" ? {} : { reason: sentenceOf(answer.reason) }) });
      }
      if (found.length >= most) break;
    }
    return { plan: setup.plan.name, columns: columnsOf(first.step), standin: isStandin, rows: found };
  },
});

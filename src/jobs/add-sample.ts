import { existsSync } from "node:fs";
import path from "node:path";
import * as z from "zod";
import { MARK_COLUMN, YoroshiError, type Prepared } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { FROM_COLUMN, markOf, openSamples, saveSamples, type SamplesFile } from "./samples-file.js";
import { whileHolding } from "./while-holding.js";

/** One row with its right values, among a template's samples. */
export const addSample = defineJob({
  name: "addSample",
  summary: "Puts one row with its right values among a template's samples; a label that stands there already stays.",
  input: z.strictObject({
    template: z.string(),
    /** Input -> value as a cell has it. */
    inputs: z.record(z.string(), z.string()),
    /** Part -> the right value, as a cell has it. */
    labels: z.record(z.string(), z.string()),
    by: z.string().min(1),
    /** Default: samples/<template>.csv. */
    samples: z.string().optional(),
  }),
  report: z.object({
    file: z.string(),
    /** Whether the row is new, got labels that it lacked, or has all of them already. */
    is: z.enum(["added", "completed", "known"]),
  }),
  async run(project, { template: name, inputs, labels, by, samples }) {
    const { template } = await project.template(name);
    const prepared = await project.prepare(template);
    checkSample(prepared, inputs, labels);
    const file = project.samplesFile(template.name, samples);
    return whileHolding(project, `file:${file}`, file, () => keep(project, prepared, { file, inputs, labels, by }));
  },
});

interface Sample {
  readonly file: string;
  readonly inputs: Readonly<Record<string, string>>;
  readonly labels: Readonly<Record<string, string>>;
  readonly by: string;
}

async function keep(
  project: Project,
  prepared: Prepared,
  { file, inputs, labels, by }: Sample,
): Promise<{ file: string; is: "added" | "completed" | "known" }> {
  const names = prepared.inputs.map((input) => input.name);
  const before = existsSync(path.resolve(project.root, file)) ? await openSamples(project, file) : undefined;
  const columns = [...new Set([...(before?.columns ?? names), ...Object.keys(labels), FROM_COLUMN, MARK_COLUMN])];
  const next: SamplesFile = { file, columns, rows: [...(before?.rows ?? [])] };
  const mark = markOf(names, inputs);
  const found = next.rows.find((row) => markOf(names, row) === mark);
  const lacking = Object.entries(labels).filter(([part]) => !found?.[part]?.trim());
  if (found && lacking.length === 0) return { file, is: "known" };
  if (found) Object.assign(found, Object.fromEntries(lacking));
  else {
    const day = new Date(project.clock.now()).toISOString().slice(0, 10);
    next.rows.push({ ...inputs, ...labels, [FROM_COLUMN]: `${by}, ${day}`, [MARK_COLUMN]: mark });
  }
  await saveSamples(project, next);
  return { file, is: found ? "completed" : "added" };
}

function checkSample(prepared: Prepared, inputs: Readonly<Record<string, string>>, labels: Readonly<Record<string, string>>): void {
  const problems = [
    ...Object.keys(inputs)
      .filter((name) => !prepared.inputs.some((input) => input.name === name))
      .map((name) => `there is no input \`${name}\``),
    ...Object.entries(labels).flatMap(([name, text]) => {
      const part = prepared.parts.find((one) => one.name === name);
      if (!part) return [`the answer has no part \`${name}\``];
      const reading = part.fromCell(text);
      return reading.ok ? [] : [`\`${name}\`: ${reading.problem}`];
    }),
  ];
  if (problems.length > 0) throw new YoroshiError("badInput", { job: "addSample", problems });
}

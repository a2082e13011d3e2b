import * as z from "zod";
import { gatherInputs, sentenceOf, YoroshiError, type Json, type Prepared } from "../core/index.js";
import { defineJob } from "./job.js";
import { readSource, saveSource } from "./source-files.js";

/** One row with its whole right answer, among a template's examples. */
export const addExample = defineJob({
  name: "addExample",
  summary: "Puts a row with its whole right answer into a template as an example, which goes before each row from then on.",
  input: z.strictObject({
    template: z.string(),
    /** Input -> value as a cell has it. */
    inputs: z.record(z.string(), z.string()),
    /** Part -> the right value, as a cell has it; every part of the answer. */
    answer: z.record(z.string(), z.string()),
  }),
  report: z.object({
    template: z.string(),
    file: z.string(),
    /** How many examples there are now. */
    examples: z.int(),
    /** The mark of the file; see `saveSource`. */
    mark: z.string(),
  }),
  async run(project, { template: name, inputs, answer }) {
    const { template } = await project.template(name);
    const example = await exampleOf(await project.prepare(template), inputs, answer);
    const { form, mark } = await readSource.run(project, { what: "template", name }, {});
    const examples = form?.["examples"] ?? [];
    if (!Array.isArray(examples))
      throw new YoroshiError("badOption", {
        option: "examples",
        problem: `the examples of ${name} come from a file of labelled rows; label the row there instead.`,
      });
    const next = { ...form, examples: [...examples, example] };
    const saved = await saveSource.run(project, { what: "template", name, form: next, was: mark }, {});
    return { template: name, file: saved.file, examples: examples.length + 1, mark: saved.mark };
  },
});

async function exampleOf(
  prepared: Prepared,
  inputs: Readonly<Record<string, string>>,
  answer: Readonly<Record<string, string>>,
): Promise<{ inputs: Record<string, Json>; answer: Record<string, Json> }> {
  const problems: string[] = [];
  const reading = await gatherInputs(prepared, inputs);
  if (reading.state !== "ready") problems.push(sentenceOf(reading.reason));
  const parts: Record<string, Json> = {};
  for (const part of prepared.parts) {
    const text = answer[part.name]?.trim() ?? "";
    if (text === "" && part.spec.required === false) parts[part.name] = null;
    else if (text === "") problems.push(`\`${part.name}\` is missing; an example needs the whole answer`);
    else {
      const value = part.fromCell(text);
      if (value.ok) parts[part.name] = part.said(value.value);
      else problems.push(`\`${part.name}\`: ${value.problem}`);
    }
  }
  for (const name of Object.keys(answer))
    if (!prepared.parts.some((part) => part.name === name)) problems.push(`the answer has no part \`${name}\``);
  if (problems.length > 0 || reading.state !== "ready") throw new YoroshiError("badInput", { job: "addExample", problems });
  return { inputs: { ...reading.inputs }, answer: parts };
}

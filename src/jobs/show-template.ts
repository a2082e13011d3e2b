import * as z from "zod";
import { plainJson, type InputSpec, type Json, type Prepared } from "../core/index.js";
import { tokenizer } from "../files/index.js";
import { defineJob } from "./job.js";
import { count, message } from "./schemas.js";
import { toldPrompt } from "./told.js";

const named = z.object({ name: z.string(), kind: z.string(), about: z.string() });

const report = z.object({
  /** The template as its file says it. */
  template: z.json(),
  name: z.string(),
  title: z.string().optional(),
  file: z.string(),
  inputs: z.array(z.object({ ...named.shape, required: z.boolean() })),
  /** The answer's parts; `about` is what the model is told where the template says nothing. */
  parts: z.array(named),
  /** The documents that it always carries, and how long they are. */
  background: z.array(z.object({ file: z.string(), tokens: count })),
  /** JSON Schema of the answer. */
  schema: z.json(),
  /** The exact prompt with the inputs' samples. */
  prompt: z.array(message),
});

export type TemplateShown = z.output<typeof report>;

/** One template: its inputs, its answer, the exact prompt. */
export const showTemplate = defineJob({
  name: "showTemplate",
  summary: "Shows a template: its inputs, its answer, and the exact prompt with the inputs' samples.",
  input: z.strictObject({ template: z.string() }),
  report,
  async run(project, { template: name }) {
    const { template, file } = await project.template(name);
    const prepared = await project.prepare(template);
    const countTokens = template.background?.length ? await tokenizer() : () => 0;
    return {
      template: plainJson(template),
      name: template.name,
      ...(template.title === undefined ? {} : { title: template.title }),
      file,
      inputs: prepared.inputs.map(({ name: input, spec }) => ({
        name: input,
        kind: spec.kind,
        about: spec.about ?? "",
        required: (spec as InputSpec).required !== false,
      })),
      parts: prepared.parts.map(({ name: part, spec, tell }) => ({ name: part, kind: spec.kind, about: spec.about ?? tell() })),
      background: await Promise.all(
        (template.background ?? []).map(async (document) => ({ file: document, tokens: countTokens(await project.text(document)) })),
      ),
      schema: plainJson(prepared.schema),
      prompt: toldPrompt(prepared.render(sampleInputs(prepared))),
    };
  },
});

/** The samples that a template gives for its inputs; a stand-in word where it gives none. */
function sampleInputs(prepared: Prepared): Record<string, Json> {
  return Object.fromEntries(
    prepared.inputs.map(({ name, spec, kind }) => [name, (spec as InputSpec).sample ?? (kind.takesRows ? [] : `(${name})`)]),
  );
}

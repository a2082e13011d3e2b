import * as z from "zod";
import {
  answerTokens,
  costOf,
  dearestUsage,
  inputCells,
  mapValues,
  messageText,
  type ModelRequest,
  ModelFailure,
  gatherInputs,
  imageTokens,
  rendered,
  readTemplate,
  sentenceOf,
  templateSteps,
  YoroshiError,
  type Json,
  type Remark,
  type Row,
} from "../core/index.js";
import type { LoadedTemplate, Project } from "../project/index.js";
import { tokenizer } from "../files/index.js";
import { defineJob } from "./job.js";
import { modelError } from "./known-error.js";
import { answerShape, count, message, money } from "./schemas.js";
import { toldAnswer, toldPrompt } from "./told.js";

const question = {
  /** A template or a plan, by its name or path. */
  of: z.string(),
  /** Of a plan: the row by its key. Default: the first that can be read. */
  row: z.string().optional(),
  /** Of a plan: the step. Default: the first that asks. */
  step: z.string().optional(),
  /** Values of inputs as a cell has them, instead of the row's or the template's own samples. */
  inputs: z.record(z.string(), z.string()).optional(),
};

const input = z.strictObject({
  ...question,
  /** Ask even where the ledger has an answer. */
  fresh: z.boolean().optional(),
});

const about = {
  template: z.string(),
  from: z.string(),
  /** The row's cells, by input; those that are blank are left out. */
  inputs: z.record(z.string(), z.string()),
};

const report = z.union([
  z.object({ ...about, state: z.literal("declined"), reason: z.string(), reasonCode: z.string() }),
  z.object({
    ...about,
    model: z.string(),
    /** What the model is called in the project. */
    modelName: z.string(),
    standin: z.boolean(),
    /** Whether the answer stood in the ledger, so that nothing was asked. */
    known: z.boolean(),
    /** What a person should know of the row: what limits left out. */
    inputNotes: z.array(z.string()),
    /** Input -> how it was shortened. */
    shortened: z.record(z.string(), z.string()),
    prompt: z.array(message),
    ...answerShape,
    /** The answer's parts as cells have them. */
    cells: z.array(z.object({ part: z.string(), kind: z.string(), value: z.string() })),
  }),
]);

export type TryReport = z.output<typeof report>;

/** What a question is made of. */
interface Question {
  readonly loaded: LoadedTemplate;
  /** The row's cells, by input. */
  readonly cells: Readonly<Record<string, string | undefined>>;
  readonly notes: readonly Remark[];
  readonly from: string;
}

/** One row in; the exact prompt, the raw reply, the typed answer and its cost out. */
export const tryRow = defineJob({
  name: "tryRow",
  summary: "Asks a template about one row, and shows the prompt, the reply and the typed answer.",
  input,
  report,
  async run(project, { of, row, step, inputs = {}, fresh = false }, { signal }) {
    const { loaded, cells, notes, from } = await questionOf(project, { of, row, step, inputs });
    const template = loaded.template.name;
    const prepared = await project.prepare(loaded.template);
    const reading = await gatherInputs(prepared, cells);
    if (reading.state !== "ready") return { template, from, inputs: given(cells), ...declined(reading.reason) };
    const opened = await project.openModels(loaded.template);
    const made = await rendered(prepared, reading.inputs, opened.model);
    if ("reason" in made) return { template, from, inputs: given(cells), ...declined(made.reason) };
    const { answer, known } = await project
      .askLoaded(loaded, prepared, opened, reading.inputs, { fresh, signal })
      .catch((error: unknown) => {
        throw error instanceof ModelFailure ? modelError(error, opened.model.host) : error;
      });
    const shown =
      answer.state === "answered"
        ? prepared.parts.map((part) => ({ part: part.name, kind: part.spec.kind, value: part.toCell(answer.parts[part.name]!) }))
        : [];
    return {
      template,
      from,
      inputs: given(cells),
      model: opened.model.id,
      modelName: opened.name,
      standin: opened.isStandin,
      known,
      inputNotes: notes.map(sentenceOf),
      shortened: Object.fromEntries(Object.entries(reading.shortened ?? {}).map(([input, note]) => [input, sentenceOf(note)])),
      prompt: toldPrompt(made.messages),
      ...toldAnswer(answer, made.quotable),
      cells: shown,
    };
  },
});

const shownPrompt = z.union([
  z.object({ ...about, state: z.literal("declined"), reason: z.string(), reasonCode: z.string() }),
  z.object({
    ...about,
    state: z.literal("ready"),
    model: z.string(),
    standin: z.boolean(),
    inputNotes: z.array(z.string()),
    shortened: z.record(z.string(), z.string()),
    prompt: z.array(message),
    /** Tokens of the prompt, and about as many as the answer will have. */
    tokensIn: count,
    tokensOut: count,
    /** What the request will cost about, and at most; null where the model has no price. */
    cost: money.nullable(),
    dearest: money.nullable(),
  }),
]);

/** The exact prompt about one row, with its tokens and its cost. Asks nothing. */
export const showPrompt = defineJob({
  name: "showPrompt",
  summary: "Shows the exact prompt about one row, or about values given, with its tokens and cost. Asks nothing.",
  input: z.strictObject({
    ...question,
    /** The template's text as it is being written, instead of what its file says. */
    text: z.string().optional(),
  }),
  report: shownPrompt,
  async run(project, { inputs = {}, text, ...asked }) {
    const { loaded, cells, notes, from } = await questionOf(project, { ...asked, inputs, text });
    const template = loaded.template.name;
    const prepared = await project.prepare(loaded.template);
    const reading = await gatherInputs(prepared, cells);
    if (reading.state !== "ready") return { template, from, inputs: given(cells), ...declined(reading.reason) };
    const { model, isStandin } = await project.openModels(loaded.template, { asks: false });
    const countTokens = await tokenizer();
    const made = await rendered(prepared, reading.inputs, model);
    if ("reason" in made) return { template, from, inputs: given(cells), ...declined(made.reason) };
    const { messages } = made;
    const usage = {
      tokensIn: messages.reduce((sum, one) => sum + countTokens(messageText(one)), imageTokens(messages)),
      tokensOut: answerTokens(prepared, countTokens),
    };
    const request = { messages, schema: prepared.schema, maxTokens: prepared.maxTokens };
    return {
      template,
      from,
      inputs: given(cells),
      state: "ready" as const,
      model: model.id,
      standin: isStandin,
      inputNotes: notes.map(sentenceOf),
      shortened: mapValues(reading.shortened ?? {}, sentenceOf),
      prompt: toldPrompt(messages),
      ...usage,
      cost: model.price ? costOf(usage, model.price) / 1e6 : null,
      dearest: model.price ? costOf(dearestUsage(request as ModelRequest), model.price) / 1e6 : null,
    };
  },
});

interface QuestionChoice {
  readonly of: string;
  readonly row?: string | undefined;
  readonly step?: string | undefined;
  readonly inputs: Readonly<Record<string, string>>;
  readonly text?: string | undefined;
}

const questionOf = async (project: Project, choice: QuestionChoice): Promise<Question> =>
  (await project.isPlan(choice.of)) ? ofPlan(project, choice) : ofTemplate(project, choice);

const given = (cells: Question["cells"]): Record<string, string> =>
  Object.fromEntries(Object.entries(cells).flatMap(([name, value]) => (value === undefined ? [] : [[name, value]])));

const declined = (reason: Remark): { state: "declined"; reason: string; reasonCode: string } => ({
  state: "declined",
  reason: sentenceOf(reason),
  reasonCode: reason.code,
});

/** A template as a text says it, which may be of one that is only being written. @throws YoroshiError `filesInvalid`. */
async function asWritten(project: Project, name: string, text: string | undefined): Promise<LoadedTemplate> {
  if (text === undefined) return project.template(name);
  const file = `templates/${name}.yaml`;
  const { template, complaints } = readTemplate(text, file);
  if (!template) throw new YoroshiError("filesInvalid", { complaints });
  return { template, file, text };
}

async function ofTemplate(project: Project, { of, row, inputs: said, text }: QuestionChoice): Promise<Question> {
  const loaded = await asWritten(project, of, text);
  if (row !== undefined)
    throw new YoroshiError("badOption", { option: "--row", problem: "a template has no rows. Name a plan, or give values with --input." });
  const { inputs } = loaded.template;
  const unknown = Object.keys(said).find((one) => !(one in inputs));
  if (unknown !== undefined)
    throw new YoroshiError("badOption", {
      option: "--input",
      problem: `the template has no input \`${unknown}\`. Inputs: ${Object.keys(inputs).join(", ")}.`,
    });
  const cells = Object.fromEntries(Object.entries(inputs).map(([one, spec]) => [one, said[one] ?? sampleCell(spec.sample)]));
  return { loaded, cells, notes: [], from: Object.keys(said).length > 0 ? "the inputs given" : "the template's own sample" };
}

async function ofPlan(project: Project, { of, row: key, step: stepName, inputs: said, text }: QuestionChoice): Promise<Question> {
  const { setup } = await project.fillSetup(of, { asks: false });
  const steps = templateSteps(setup.plan);
  const chosen = stepName === undefined ? steps[0] : steps.find((one) => one.name === stepName);
  if (!chosen)
    throw new YoroshiError("badOption", {
      option: "--step",
      problem: `the plan has no template step \`${stepName ?? ""}\`. Steps: ${steps.map((one) => one.name).join(", ") || "none"}.`,
    });
  const row = await findRow(setup.table.read(), key);
  if (!row) throw new YoroshiError("keyNotFound", { keys: [key ?? "(first row)"], table: setup.table.name });
  if (chosen.step.inquire)
    throw new YoroshiError("badOption", {
      option: "--step",
      problem: `\`${chosen.name}\` asks questions of ${chosen.step.inquire.of}; \`yoroshi ask ${chosen.step.inquire.of} "…"\` tries one.`,
    });
  const loaded = await asWritten(project, chosen.step.template, text);
  const own = await inputCells(setup, row, chosen.name);
  return { loaded, cells: { ...own.cells, ...said }, notes: own.notes, from: `${row.key}, ${row.place} of ${setup.table.name}` };
}

async function findRow(chunks: AsyncIterable<{ readonly rows: readonly Row[] }>, key: string | undefined): Promise<Row | undefined> {
  for await (const { rows } of chunks) {
    const row = rows.find((candidate) => (key === undefined ? candidate.problem === undefined : candidate.key === key));
    if (row) return row;
  }
  return undefined;
}

/** A sample as a cell has it: text as it is, rows and the like as JSON. */
function sampleCell(sample: Json | undefined): string | undefined {
  return sample === undefined || typeof sample === "string" ? sample : JSON.stringify(sample);
}

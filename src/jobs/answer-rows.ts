import * as z from "zod";
import {
  BudgetSpent,
  declined,
  inputCellsOf,
  isYoroshiError,
  ModelFailure,
  nearest,
  plainJson,
  gatherInputs,
  YoroshiError,
  type Answer,
  type InputSpec,
  type Json,
  type Prepared,
} from "../core/index.js";
import type { LoadedTemplate, Project, TemplateModels } from "../project/index.js";
import { defineJob, type JobContext } from "./job.js";
import { capAdvice, knownError, modelError } from "./known-error.js";
import { answerShape, confidence, money } from "./schemas.js";
import { toldAnswer } from "./told.js";

const MOST_ROWS = 1_000;

const told = z.object({
  /** `notAsked`: a cap, or the model's host, left no room. */
  state: z.enum([...answerShape.state.options, "notAsked"]),
  /** The answer's typed parts; left out where there is no answer. */
  parts: z.record(z.string(), z.json()).optional(),
  /** The same as a table's cells have them. */
  cells: z.record(z.string(), z.string()).optional(),
  /** Why there is no answer, in words and by code. */
  reason: z.string().optional(),
  reasonCode: z.string().optional(),
  confidence: confidence.optional(),
  /** Whether it was known, so that nothing was asked. */
  known: z.boolean(),
  spent: money,
  notes: z.array(z.string()),
});

const report = z.object({
  template: z.string(),
  version: z.int(),
  model: z.string(),
  standin: z.boolean(),
  /** In the order of the rows. */
  answers: z.array(told),
  spent: money,
});

export type AnswersReport = z.output<typeof report>;
type ToldAnswer = z.input<typeof told>;

/** A template's answers to rows that the caller gives. */
export const answerRows = defineJob({
  name: "answerRows",
  summary: "Answers rows by a template: typed values, each with its state. What is known is not asked again.",
  input: z.strictObject({
    template: z.string(),
    /** Input -> value, for each row: of the input's kind, or as a cell has it. */
    rows: z.array(z.record(z.string(), z.json())).min(1).max(MOST_ROWS),
    /** Ask even where the answer is known. */
    fresh: z.boolean().optional(),
  }),
  report,
  async run(project, { template: name, rows, fresh = false }, context) {
    const loaded = await project.template(name);
    const prepared = await project.prepare(loaded.template);
    rows.forEach((row, index) => checkInputs(prepared, row, index, rows.length));
    const models = await project.openModels(loaded.template);
    const answers = await Promise.all(rows.map((row) => answerOf(project, loaded, prepared, models, row, fresh, context)));
    const refused = answers.flatMap((one) => (one instanceof Error ? [one] : []));
    // What all rows are refused for is an error of the request.
    if (refused.length === rows.length) throw refused[0]!;
    const shown = answers.map((one) => (one instanceof Error ? refusedRow(one) : one));
    return {
      template: loaded.template.name,
      version: (await project.version(loaded)).version,
      model: models.model.id,
      standin: models.isStandin,
      answers: shown,
      spent: shown.reduce((sum, one) => sum + one.spent, 0),
    };
  },
});

function checkInputs(prepared: Prepared, row: Readonly<Record<string, Json>>, index: number, rows: number): void {
  const known = prepared.inputs.map(({ name }) => name);
  const unknown = Object.keys(row).find((name) => !known.includes(name));
  if (unknown === undefined) return;
  const near = nearest(unknown, known);
  const where = rows === 1 ? "" : `row ${index + 1}: `;
  const problem = `${where}the template has no input \`${unknown}\`. ${near ? `Did you mean \`${near}\`?` : `Inputs: ${known.join(", ")}.`}`;
  throw new YoroshiError("badInput", { job: prepared.template.name, problems: [problem.replace(/\.$/, "")] });
}

async function answerOf(
  project: Project,
  loaded: LoadedTemplate,
  prepared: Prepared,
  models: TemplateModels,
  row: Readonly<Record<string, Json>>,
  fresh: boolean,
  { signal, admit }: JobContext,
): Promise<ToldAnswer | Error> {
  const reading = await gatherInputs(prepared, cellsOf(prepared, row));
  if (reading.state !== "ready") return answerTold(prepared, declined(reading.reason), false);
  try {
    const { answer, known } = await project.askLoaded(loaded, prepared, models, reading.inputs, { fresh, signal, admit });
    return answerTold(prepared, answer, known);
  } catch (error) {
    if (error instanceof BudgetSpent) return new YoroshiError("capReached", { problem: capAdvice(error, project.settings.currency) });
    if (error instanceof ModelFailure) return modelError(error, models.model.host);
    if (isYoroshiError(error) && error.code === "dayCapReached") return error;
    throw error;
  }
}

/** A text is a cell, and read as one of its input's kind; anything else is a value. */
function cellsOf(prepared: Prepared, row: Readonly<Record<string, Json>>): Record<string, string | null> {
  const values = Object.fromEntries(Object.entries(row).filter(([, value]) => typeof value !== "string"));
  const texts = Object.fromEntries(Object.entries(row).filter(([, value]) => typeof value === "string")) as Record<string, string>;
  return { ...inputCellsOf(prepared, values), ...texts };
}

function answerTold(prepared: Prepared, answer: Answer, known: boolean): ToldAnswer {
  const { state, parts, reason, reasonCode, confidence: sure, spent, notes } = toldAnswer(answer);
  const cells = parts && Object.fromEntries(prepared.parts.map((part) => [part.name, part.toCell(parts[part.name] as Json)]));
  return {
    state,
    ...(parts ? { parts: parts as Record<string, never>, cells: cells! } : {}),
    ...(reason === undefined ? {} : { reason, reasonCode: reasonCode! }),
    ...(sure ? { confidence: sure } : {}),
    known,
    spent: known ? 0 : spent,
    notes,
  };
}

function refusedRow(error: Error): ToldAnswer {
  const { code, message } = knownError(error);
  return { state: "notAsked", reason: message, reasonCode: code, known: false, spent: 0, notes: [] };
}

const shape = z.record(z.string(), z.json());

/** What a template takes and gives, as JSON Schemas. */
export const templateSchema = defineJob({
  name: "templateSchema",
  summary: "Gives JSON Schemas of a template's inputs and of its answer.",
  input: z.strictObject({ template: z.string() }),
  report: z.object({ template: z.string(), title: z.string().optional(), version: z.int(), inputs: shape, answer: shape }),
  async run(project, { template: name }) {
    const loaded = await project.template(name);
    const { title } = loaded.template;
    const prepared = await project.prepare(loaded.template);
    return {
      template: loaded.template.name,
      ...(title === undefined ? {} : { title }),
      version: (await project.version(loaded)).version,
      inputs: inputsSchema(prepared),
      answer: plainJson(prepared.schema) as z.input<typeof shape>,
    };
  },
});

/** The JSON Schema of a row of inputs. */
export function inputsSchema(prepared: Prepared): z.input<typeof shape> {
  const properties = Object.fromEntries(
    prepared.inputs.map(({ name, spec, jsonSchema }) => [name, { ...jsonSchema(), ...(spec.about ? { description: spec.about } : {}) }]),
  );
  const required = prepared.inputs.filter(({ spec }) => (spec as InputSpec).required !== false).map(({ name }) => name);
  return plainJson({ type: "object", properties, required, additionalProperties: false }) as z.input<typeof shape>;
}

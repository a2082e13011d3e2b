import * as z from "zod";
import { MARK_COLUMN, partPaths, SET_COLUMN, YoroshiError, type NamedShape } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { partShape, partTold } from "./part-told.js";
import { FROM_COLUMN, markOf, openSamples, saveSamples, type SamplesFile } from "./samples-file.js";
import { count } from "./schemas.js";

const about = {
  /** The samples file. */
  file: z.string(),
  /** The template, where the file is not named after it. */
  template: z.string().optional(),
  /** Label beside others, in columns PART@PERSON. */
  person: z.string().optional(),
} as const;

const row = z.object({
  /** Its number in the file, from 1. */
  row: z.int().min(1),
  /** What the row's inputs are, as long as they stand; see `labelRow`. */
  mark: z.string(),
  /** By what a person knows the row. */
  context: z.record(z.string(), z.string()),
  inputs: z.record(z.string(), z.string()),
  /** Part -> what has been given so far. */
  labels: z.record(z.string(), z.string()),
  /** Whether a part has no value yet. */
  open: z.boolean(),
});

const sheet = z.object({
  /** What the model is asked: the template's task, as it is written. */
  task: z.string(),
  file: z.string(),
  parts: z.array(partShape),
  inputs: z.array(z.string()),
  rows: z.array(row),
  open: count,
});

export type LabelSheet = z.output<typeof sheet>;

/** The rows of a samples file as a person labels them: without what a model answered. */
export const readLabels = defineJob({
  name: "readLabels",
  summary: "Reads a samples file to be labelled: parts with their options, rows with their inputs, never what a model answered.",
  input: z.strictObject(about),
  report: sheet,
  async run(project, { file, template, person }) {
    return sheetOf(await openLabelling(project, file, template, person));
  },
});

/** Right values for one row, saved at once. Where a value does not fit its part, it is told and nothing is saved. */
export const labelRow = defineJob({
  name: "labelRow",
  summary: "Gives right values to one row of a samples file, and saves them.",
  input: z.strictObject({
    ...about,
    row: z.int().min(1),
    /** The mark that the row had when it was shown; where it stands otherwise now, nothing is saved. */
    mark: z.string().optional(),
    /** Part -> value as a cell has it, or an option's name; "" takes the label away. */
    values: z.record(z.string(), z.string()),
    /** How long the person looked at it. */
    tookMs: z.number().min(0).optional(),
    /** False: only tells whether the values fit. Default true. */
    save: z.boolean().optional(),
  }),
  report: z.object({
    file: z.string(),
    ...row.shape,
    /** The parts whose value does not fit. */
    unfit: z.array(z.string()),
    saved: z.boolean(),
  }),
  async run(project, { file, template, person, row: number, mark, values, tookMs, save = true }) {
    const labelling = await openLabelling(project, file, template, person);
    const { samples, parts, inputs } = labelling;
    const found = samples.rows[number - 1];
    if (!found) throw new YoroshiError("samplesUnfit", { file, problem: `it has no row ${number}.` });
    if (mark !== undefined && markOf(inputs, found) !== mark)
      throw new YoroshiError("samplesUnfit", { file, problem: `row ${number} has changed since it was shown. Look at it again.` });
    const unfit: string[] = [];
    for (const [name, text] of Object.entries(values)) {
      const shape = parts.find((one) => one.name === name);
      if (!shape) throw new YoroshiError("samplesUnfit", { file, problem: `its template has no part \`${name}\` to label.` });
      const value = labelValue(shape, text);
      if (value === undefined) unfit.push(name);
      else found[labelColumn(name, person)] = value;
    }
    // What a row's inputs were when it was labelled; nothing while it has no label.
    const isLabelled = parts.some(({ name }) => found[labelColumn(name, person)]);
    if (isLabelled) found[MARK_COLUMN] = markOf(inputs, found);
    const saved = save && unfit.length === 0;
    if (isLabelled && saved && tookMs !== undefined) {
      const column = labelColumn(SECONDS_COLUMN, person);
      if (!samples.columns.includes(column)) samples.columns.push(column);
      // Looked at again, the times add up.
      found[column] = String(Math.round((Number(found[column] || 0) + tookMs / 1000) * 10) / 10);
    }
    if (saved) await saveSamples(project, samples);
    return { file, ...rowOf(labelling, found, number), unfit, saved };
  },
});

const dispute = z.object({
  ...row.shape,
  part: z.string(),
  /** Person -> what they said. */
  said: z.record(z.string(), z.string()),
});

/** Brings the labels of several people together: where they say the same it is taken; the rest is for a third pass. */
export const settleSamples = defineJob({
  name: "settleSamples",
  summary: "Takes the labels on which several people agree as the right values, and gives the rows on which they do not, for a third pass.",
  input: z.strictObject({ file: z.string(), template: z.string().optional() }),
  report: z.object({
    file: z.string(),
    people: z.array(z.string()),
    parts: z.array(partShape),
    /** Values that were taken since all said the same; values that stood already. */
    taken: count,
    stood: count,
    disputes: z.array(dispute),
  }),
  async run(project, { file, template }) {
    const labelling = await openLabelling(project, file, template, undefined);
    const { samples, parts, inputs } = labelling;
    const people = [...new Set(samples.columns.flatMap((column) => peopleIn(column, parts)))];
    if (people.length < 2)
      throw new YoroshiError("samplesUnfit", {
        file,
        problem: "it has labels of fewer than two people. Each labels with `--as <person>`.",
      });
    const report = { taken: 0, stood: 0, disputes: [] as z.input<typeof dispute>[] };
    samples.rows.forEach((found, index) => {
      for (const shape of parts) {
        const said = Object.fromEntries(
          people.flatMap((one) => (found[`${shape.name}@${one}`]?.trim() ? [[one, found[`${shape.name}@${one}`]!.trim()]] : [])),
        );
        if (found[shape.name]?.trim()) report.stood++;
        else if (Object.keys(said).length < 2) continue;
        else if (new Set(Object.values(said).map((value) => labelValue(shape, value) ?? value)).size === 1) {
          found[shape.name] = Object.values(said)[0]!;
          found[MARK_COLUMN] = markOf(inputs, found);
          report.taken++;
        } else report.disputes.push({ ...rowOf(labelling, found, index + 1), part: shape.name, said });
      }
    });
    if (report.taken > 0) await saveSamples(project, samples);
    return { file, people, parts: parts.map(partTold), ...report };
  },
});

function peopleIn(column: string, parts: readonly NamedShape[]): string[] {
  const at = column.indexOf("@");
  return at > 0 && parts.some(({ name }) => name === column.slice(0, at)) ? [column.slice(at + 1)] : [];
}

/** A samples file with what of its template a person labels. */
interface LabelFile {
  readonly samples: SamplesFile;
  readonly parts: readonly NamedShape[];
  readonly inputs: readonly string[];
  /** Further columns of the file, by which a person knows the row. */
  readonly context: readonly string[];
  readonly person: string | undefined;
  readonly task: string;
}

/** Columns of a samples file that tell of the sample, not of the row. */
const NOT_CONTEXT: readonly string[] = [MARK_COLUMN, SET_COLUMN, FROM_COLUMN];
/** How long a person looked at the row; beside others, with their name as labels have it. */
const SECONDS_COLUMN = "labelSeconds";

const labelColumn = (part: string, person: string | undefined): string => (person === undefined ? part : `${part}@${person}`);

async function openLabelling(project: Project, file: string, template: string | undefined, person: string | undefined): Promise<LabelFile> {
  const name = template ?? file.replace(/^.*[\\/]/, "").replace(/\.csv$/i, "");
  const prepared = await project.prepare((await project.template(name)).template);
  const samples = await openSamples(project, file);
  const paths = new Set(partPaths(prepared.template.answer));
  // Reasons and other free words are labelled only where the file has a column for them.
  const parts = prepared.parts.filter((one) => paths.has(one.name) && (one.kind.freeText !== true || samples.columns.includes(one.name)));
  if (parts.length === 0)
    throw new YoroshiError("samplesUnfit", { file, problem: "the template's answer has no part that could be labelled." });
  const inputs = prepared.inputs.map((input) => input.name);
  const context = samples.columns.filter(
    (column) =>
      !NOT_CONTEXT.includes(column) &&
      column.split("@")[0] !== SECONDS_COLUMN &&
      !inputs.includes(column) &&
      !prepared.parts.some((one) => column === one.name || column.startsWith(`${one.name}@`) || column.startsWith(`${one.name}.`)),
  );
  for (const column of [...parts.map((one) => labelColumn(one.name, person)), MARK_COLUMN])
    if (!samples.columns.includes(column)) samples.columns.push(column);
  return { samples, parts, inputs, context, person, task: prepared.template.task };
}

function sheetOf(labelling: LabelFile): LabelSheet {
  const { samples, parts, inputs, task } = labelling;
  const rows = samples.rows.map((one, index) => rowOf(labelling, one, index + 1));
  return { task, file: samples.file, parts: parts.map(partTold), inputs: [...inputs], rows, open: rows.filter(({ open }) => open).length };
}

function rowOf(
  { parts, inputs, context, person }: LabelFile,
  found: Readonly<Record<string, string>>,
  number: number,
): LabelSheet["rows"][0] {
  const given = (columns: readonly string[]): Record<string, string> =>
    Object.fromEntries(columns.filter((column) => found[column]?.trim()).map((column) => [column, found[column]!]));
  const labels = Object.fromEntries(
    parts.flatMap(({ name }) => (found[labelColumn(name, person)]?.trim() ? [[name, found[labelColumn(name, person)]!]] : [])),
  );
  return {
    row: number,
    mark: markOf(inputs, found),
    context: given(context),
    inputs: given(inputs),
    labels,
    open: parts.some(({ name }) => labels[name] === undefined),
  };
}

/** What was given, as a cell has it; "" for nothing, `undefined` for what does not fit. */
function labelValue(shape: NamedShape, given: string): string | undefined {
  if (given === "") return "";
  const reading = shape.fromCell(given);
  return reading.ok && shape.schema.safeParse(reading.value).success ? shape.toCell(reading.value) : undefined;
}

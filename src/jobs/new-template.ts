import { existsSync } from "node:fs";
import path from "node:path";
import * as z from "zod";
import { isYoroshiError, ModelFailure, readTemplate, warnTemplate, type Complaint, type Warning } from "../core/index.js";
import type { Project } from "../project/index.js";
import { remark } from "./check-files.js";
import { draft as askDraft } from "./draft-template.js";
import { defineFreeJob, defineJob } from "./job.js";
import { modelError } from "./known-error.js";
import { money } from "./schemas.js";
import { listStarterFiles, writeStarterFiles } from "./starters.js";
import { reasonTold } from "./told.js";
import { newTemplateFile, writeTemplate } from "./template-files.js";

/** The templates that ship with the package, to begin with. Needs no project. */
export const listStarters = defineFreeJob({
  name: "listStarters",
  summary: "Lists the templates that ship with the package, to begin with.",
  input: z.strictObject({}),
  report: z.object({ starters: z.array(z.object({ name: z.string(), title: z.string(), tags: z.array(z.string()) })) }),
  async run() {
    return { starters: await listStarterFiles() };
  },
});

const written = z.object({
  template: z.string(),
  from: z.string(),
  /** What was written, relative to the project. */
  files: z.array(z.string()),
});

/** A new template from a starter, with the references that it reads. */
export const writeStarter = defineJob({
  name: "writeStarter",
  summary: "Writes a new template, and the references it reads, from one that ships with the package.",
  input: z.strictObject({ starter: z.string(), template: z.string() }),
  report: written,
  async run(project, { starter, template }) {
    return { template, from: starter, files: await writeStarterFiles(project.root, starter, template) };
  },
});

/** A new template from another one of the project. */
export const copyTemplate = defineJob({
  name: "copyTemplate",
  summary: "Copies a template of the project under a new name.",
  input: z.strictObject({ from: z.string(), template: z.string() }),
  report: written,
  async run(project, { from, template }) {
    const { text } = await project.template(from);
    return { template, from, files: [await writeTemplate(project.root, template, text.replace(/^name: .*$/m, `name: ${template}`))] };
  },
});

const draft = z.object({
  template: z.string(),
  file: z.string(),
  written: z.boolean(),
  /** Whether it has no mistakes, so that it can be written. */
  usable: z.boolean(),
  state: z.string(),
  reason: z.string().optional(),
  reasonCode: z.string().optional(),
  /** The whole file; left out where the model gave no usable answer. */
  text: z.string().optional(),
  complaints: z.array(remark),
  warnings: z.array(remark),
  spent: money,
  standin: z.boolean(),
});

export type DraftReport = z.output<typeof draft>;

/** Has the project's first model draft a template from a description; what was asked before is not asked again. */
export const draftTemplate = defineJob({
  name: "draftTemplate",
  summary: "Has a model draft a template from a description and the columns of a table; writes it where that is asked for.",
  input: z.strictObject({
    template: z.string(),
    description: z.string(),
    /** The table whose columns the template may read: a file, or `main:deck_log`. */
    table: z.string(),
    /** Of a workbook: the sheet, and the row with the columns' names. */
    sheet: z.string().optional(),
    headerRow: z.int().min(1).optional(),
    /** Write the draft when it has no mistakes. */
    write: z.boolean().optional(),
  }),
  report: draft,
  async run(project, { template: name, description, table, sheet, headerRow, write = false }) {
    newTemplateFile(project.root, name);
    const { isStandin, model } = await project.models.open(undefined);
    const { file, text, answer, complaints } = await askDraft(project, name, description, {
      ...project.tables.named(tableOf(project, table)),
      ...(sheet === undefined ? {} : { sheet }),
      ...(headerRow === undefined ? {} : { headerRow }),
    }).catch((error: unknown) => {
      throw error instanceof ModelFailure && !isYoroshiError(error) ? modelError(error, model.host) : error;
    });
    const usable = text !== undefined && complaints.length === 0;
    const reading = usable ? readTemplate(text, file) : undefined;
    const warnings = reading?.template && reading.document ? warnTemplate(reading.template, reading.document) : [];
    if (usable && write) await writeTemplate(project.root, name, text);
    return {
      template: name,
      file,
      written: usable && write,
      usable,
      state: answer.state,
      ...reasonTold(answer.reason),
      ...(text === undefined ? {} : { text }),
      complaints: remarks(complaints),
      warnings: remarks(warnings),
      spent: answer.spent / 1e6,
      standin: isStandin,
    };
  },
});

/** A table is named from where the caller stands, or from the project's own folder. */
function tableOf(project: Project, table: string): string {
  const file = path.resolve(project.root, table);
  return existsSync(table) || !existsSync(file) ? table : file;
}

const remarks = (all: readonly (Complaint | Warning)[]): z.input<typeof remark>[] =>
  all.map(({ code, place, message }) => ({ code, place, message }));

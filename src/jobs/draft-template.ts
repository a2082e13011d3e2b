import {
  draftFile,
  draftingTemplate,
  prepare,
  readTemplate,
  YoroshiError,
  type Answer,
  type Complaint,
  type DraftColumn,
  type Prepared,
} from "../core/index.js";
import { OWN_VERSION, type CommandSource, type Project } from "../project/index.js";
import { newTemplateFile } from "./template-files.js";

/** A template that a model drafted, not yet written. */
export interface Draft {
  readonly file: string;
  /** The whole file; `undefined` where the model gave no usable answer. */
  readonly text: string | undefined;
  readonly answer: Answer;
  /** What is wrong in the drafted file; none when it can be used as it is. */
  readonly complaints: readonly Complaint[];
}

const MOST_EXAMPLES = 3;

/** Has the project's first model draft a template from a description and the columns of a table (a file's path, or `main:deck_log`). */
export async function draft(project: Project, name: string, description: string, table: CommandSource): Promise<Draft> {
  const file = newTemplateFile(project.root, name);
  const columns = await tableColumns(project, table);
  const answer = await askDraft(project, prepare(draftingTemplate(columns)), description);
  if (answer.state !== "answered") return { file, text: undefined, answer, complaints: [] };
  const text = draftFile(name, answer.parts, columns);
  return { file, text, answer, complaints: readTemplate(text, file).complaints };
}

/** A draft that was asked for before is not asked for again, so that it can be shown first and written later. */
async function askDraft(project: Project, prepared: Prepared, description: string): Promise<Answer> {
  const models = { ...(await project.models.open(undefined)), others: {} };
  const asked = { subject: prepared.template.name, prepared, version: OWN_VERSION, models, inputs: { description } };
  const { answer, known } = await project.asking.ask(asked);
  // One that was no use is asked for again.
  return known && answer.state !== "answered" ? (await project.asking.ask(asked, { fresh: true })).answer : answer;
}

/** The columns of a table, each with a few different values that are not blank. */
async function tableColumns(project: Project, table: CommandSource): Promise<DraftColumn[]> {
  const source = await project.tables.rows(table);
  const names = await source.columns();
  if (names.length === 0)
    throw new YoroshiError("tableBroken", {
      table: source.name,
      place: "row 1",
      problem: "the file has no first row with the columns' names.",
    });
  const examples = new Map<string, Set<string>>(names.map((name) => [name, new Set()]));
  for await (const rows of source.rows()) {
    for (const row of rows)
      for (const name of names) if (row[name]?.trim() && examples.get(name)!.size < MOST_EXAMPLES) examples.get(name)!.add(row[name]);
    break;
  }
  return names.filter((name) => name !== "").map((name) => ({ name, examples: [...examples.get(name)!] }));
}

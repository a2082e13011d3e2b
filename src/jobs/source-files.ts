import { mkdir, readFile } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { plainJson, readDocument, sha256Hex, YoroshiError, type Complaint } from "../core/index.js";
import { writeWhole } from "../files/index.js";
import { PROJECT_FILE, readProjectFile, type Project } from "../project/index.js";
import { inOrder, remark } from "./check-files.js";
import { withForm } from "./edit-form.js";
import { defineJob } from "./job.js";
import { whileHolding } from "./while-holding.js";

const what = z.enum(["template", "plan", "project"]);
type What = z.output<typeof what>;

const about = {
  what,
  /** The template's or plan's name; of the project's own file `yoroshi`. */
  name: z.string(),
};

const told = {
  file: z.string(),
  complaints: z.array(remark),
  warnings: z.array(remark),
};

const source = z.object({
  ...told,
  text: z.string(),
  /** What the text says, as data: the same keys as in YAML. null while it cannot be read. */
  form: z.record(z.string(), z.json()).nullable(),
  /** A mark of the text, by which it is known when it is saved whether somebody else has changed it. */
  mark: z.string(),
  /** Where the values of the form stand in the text, by their path: `answer.hazard.kind`. */
  places: z.record(z.string(), z.object({ line: z.int(), column: z.int() })),
});

export type SourceShown = z.output<typeof source>;

/** The text of a template, a plan, or the project's own file. */
export const readSource = defineJob({
  name: "readSource",
  summary: "Gives the text of a template, a plan or yoroshi.yaml, what it says as data, and its mistakes with their places.",
  input: z.strictObject(about),
  report: source,
  async run(project, { what: kind, name }) {
    const file = await fileOf(project, kind, name);
    const text = await readFile(path.join(project.root, file), "utf8");
    return shown(project, kind, name, file, text);
  },
});

/** What would be wrong with a text. Writes nothing. */
export const checkSource = defineJob({
  name: "checkSource",
  summary:
    "Tells what is wrong with a text of a template, a plan or yoroshi.yaml, or with what a form would make of it, before it is saved.",
  input: z.strictObject({
    ...about,
    text: z.string(),
    /** What the text is to say instead: the same keys as in YAML; comments and order stay. */
    form: z.record(z.string(), z.json()).optional(),
  }),
  report: source,
  async run(project, { what: kind, name, text, form }) {
    const file = await fileOf(project, kind, name).catch(() => newFile(kind, name));
    return shown(project, kind, name, file, form === undefined ? text : withForm(text, form, file));
  },
});

/** Saves a text, or what a form says, over what was read. */
export const saveSource = defineJob({
  name: "saveSource",
  summary:
    "Saves a template, a plan or yoroshi.yaml, as text or as a form; comments and order stay. A file that somebody else has changed meanwhile is a conflict.",
  input: z.strictObject({
    ...about,
    text: z.string().optional(),
    /** What the file is to say, instead of a text: the same keys as in YAML. */
    form: z.record(z.string(), z.json()).optional(),
    /** The mark of what was read; null for a file that is new. */
    was: z.string().nullable(),
    /** Save in spite of mistakes; the file cannot be used until they are mended. */
    withMistakes: z.boolean().optional(),
  }),
  report: source,
  async run(project, { what: kind, name, text, form, was, withMistakes = false }) {
    if ((text === undefined) === (form === undefined))
      throw new YoroshiError("badInput", { job: "saveSource", problems: ["say either `text` or `form`"] });
    const file = was === null ? newFile(kind, name) : await fileOf(project, kind, name);
    return whileHolding(project, `file:${file}`, file, async () => {
      const stands = await readFile(path.join(project.root, file), "utf8").catch(() => undefined);
      const next = text ?? withForm(stands ?? "{}", form!, file);
      if ((stands === undefined ? null : markOf(stands)) !== was)
        throw new YoroshiError("fileChanged", { file, theirs: stands ?? "", yours: next });
      if (kind === "project") keepsCommands(stands ?? "", next);
      const report = await shown(project, kind, name, file, next);
      if (report.complaints.length > 0 && (kind === "project" || !withMistakes))
        throw new YoroshiError("filesInvalid", { complaints: report.complaints as Complaint[] });
      await mkdir(path.dirname(path.join(project.root, file)), { recursive: true });
      await writeWhole(path.join(project.root, file), file, (write) => write(Buffer.from(next)));
      return report;
    });
  },
});

const markOf = (text: string): string => sha256Hex(text).slice(0, 24);

async function fileOf(project: Project, kind: What, name: string): Promise<string> {
  if (kind === "project") return PROJECT_FILE;
  const all = kind === "template" ? await project.listTemplates() : await project.listPlans();
  const found = all.find((one) => one.name === name);
  if (!found) throw new YoroshiError("notFound", { what: kind, name, known: all.map((one) => one.name) });
  return found.file;
}

function newFile(kind: What, name: string): string {
  if (kind === "project") return PROJECT_FILE;
  if (!/^[a-z0-9][a-z0-9-]*$/.test(name))
    throw new YoroshiError("badOption", {
      option: name,
      problem: "a name is made of small letters, digits and hyphens (for example `hazard-triage`).",
    });
  return path.posix.join(kind === "template" ? "templates" : "plans", `${name}.yaml`);
}

async function shown(project: Project, kind: What, name: string, file: string, text: string): Promise<z.input<typeof source>> {
  const { document } = readDocument(text, file);
  const isMap = typeof document?.value === "object" && document.value !== null && !Array.isArray(document.value);
  const form = isMap ? (plainJson(document.value) as z.input<typeof source>["form"]) : null;
  const complaints = kind === "project" ? readProjectFile(text, file).complaints : await project.check(kind, name, text);
  const warnings = kind === "project" || complaints.length > 0 ? [] : await project.warnings(kind, name, text);
  return {
    file,
    text,
    form,
    mark: markOf(text),
    places: form && document ? placesOf(form, (at) => document.at(at)) : {},
    complaints: inOrder(complaints),
    warnings: inOrder(warnings),
  };
}

function placesOf(
  form: object,
  at: (path: (string | number)[]) => { readonly line: number; readonly column: number },
): Record<string, { line: number; column: number }> {
  const places: Record<string, { line: number; column: number }> = {};
  const walk = (value: unknown, path: (string | number)[]): void => {
    if (path.length > 0) {
      const { line, column } = at(path);
      places[path.join(".")] = { line, column };
    }
    if (Array.isArray(value)) value.forEach((item, index) => walk(item, [...path, index]));
    else if (typeof value === "object" && value !== null) for (const [key, item] of Object.entries(value)) walk(item, [...path, key]);
  };
  walk(form, []);
  return places;
}

/** A key that a command prints is confirmed by a person at this machine's terminal; nobody puts one in from elsewhere. */
function keepsCommands(before: string, next: string): void {
  const known = new Set(commandsOf(before));
  const added = commandsOf(next).find((command) => !known.has(command));
  if (added !== undefined)
    throw new YoroshiError("badOption", {
      option: PROJECT_FILE,
      problem: "a key by `command` runs a program on this machine, so it is added in an editor, and confirmed with `yoroshi model check`.",
    });
}

function commandsOf(text: string): string[] {
  const { models = {} } = (readDocument(text, PROJECT_FILE).document?.value ?? {}) as {
    models?: Record<string, { key?: { command?: unknown } } | null>;
  };
  return Object.entries(models).flatMap(([name, entry]) =>
    entry?.key?.command === undefined ? [] : [JSON.stringify([name, entry.key.command])],
  );
}

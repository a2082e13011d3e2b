import { formatMoney, inputCells, ModelFailure, plural, readInputs, templateSteps, YoroshiError, type Answer, type Json, type Prepared, type Row } from "../../core/index.js";
import type { LoadedTemplate, Project } from "../../project/index.js";
import { block, cut, duration, good, heading, note, out, outJson, percent, quiet, standinNote, table, warn } from "../print/print.js";
import { modelError } from "../report-error.js";
import { withProject, type CommonOptions } from "../with-project.js";
import { printPrompt } from "./show.js";

interface TryOptions extends CommonOptions {
  readonly row?: string | undefined;
  readonly step?: string | undefined;
  readonly input?: readonly string[] | undefined;
  readonly fresh?: boolean | undefined;
}

const CONFIDENCE_WORDS = { agreement: "agreement of several asks", logProbabilities: "the probabilities of its tokens", stated: "the model's own word" };

interface Question {
  readonly loaded: LoadedTemplate;
  /** The row's cells, by input. */
  readonly cells: Readonly<Record<string, string | undefined>>;
  /** What a person should know of them: rows that a limit leaves out. */
  readonly notes: readonly string[];
  readonly from: string;
}

/** `yoroshi try`: one row in; the exact prompt, the raw reply, the typed answer and its cost out. */
export async function tryOne(name: string, options: TryOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { loaded, cells, notes, from } = (await project.isPlan(name)) ? await ofPlan(project, name, options) : await ofTemplate(project, name, options);
    const prepared = await project.prepare(loaded.template);
    const reading = readInputs(prepared, cells);
    if (reading.state !== "ready") {
      if (options.json) outJson({ template: loaded.template.name, from, state: "declined", reason: reading.reason });
      else out(`${warn("Not asked:")} ${reading.reason}.`);
      return 1;
    }
    const opened = await project.openModels(loaded.template);
    const { answer, known } = await project.askLoaded(loaded, prepared, opened, reading.inputs, { fresh: options.fresh === true }).catch((error: unknown) => {
      throw error instanceof ModelFailure ? modelError(error, opened.model.host) : error;
    });
    const messages = prepared.render(reading.inputs);
    if (options.json) outJson({ template: loaded.template.name, from, model: opened.model.id, standin: opened.isStandin, known, inputNotes: notes, prompt: messages, ...answer, spent: answer.spent / 1e6 });
    else {
      out(heading(`${loaded.template.name}`) + quiet(`  on ${from}, asked of ${opened.name}`));
      out(`\n${heading("Prompt")}${answer.notes.some((note) => note.includes(" condensed from ")) ? quiet("  with the long input as it was before it was condensed") : ""}`);
      printPrompt(messages);
      out(`\n${heading("Reply")}\n${block(answer.raw)}`);
      for (const text of notes) out(`\n${warn("Left out:")} ${text}.`);
      for (const [input, note] of Object.entries(reading.shortened ?? {})) out(`\n${warn("Shortened:")} ${input}, ${note}.`);
      printAnswer(prepared, answer);
      printExchanges(answer, project.settings.currency);
      const cost = `${plural(answer.usage.tokensIn, "token")} in, ${answer.usage.tokensOut} out, ${formatMoney(answer.spent, project.settings.currency)}, ${duration(answer.tookMs)}`;
      out(`\n${quiet(known ? `Known from the ledger, so nothing was asked. It cost ${cost} when it was.` : cost)}`);
      const standin = standinNote(opened.isStandin);
      if (standin) note(standin);
    }
    return answer.state === "answered" ? 0 : 1;
  });
}

/** The requests of an answer that took more than the question and a mend. */
function printExchanges({ exchanges }: Answer, currency: string): void {
  if (!exchanges) return;
  out(`\n${heading("Requests")}  ${quiet(String(exchanges.length))}`);
  out(table(["why", "model", "reply", "cost"], exchanges.map(({ why, model, raw, spent }) => [why, model, cut(raw, 76), formatMoney(spent, currency)]), { right: [3] }));
}

function printAnswer(prepared: Prepared, answer: Answer): void {
  out(`\n${heading("Answer")}  ${answer.state === "answered" ? good("answered") : warn(answer.state)}${answer.notes.length > 0 ? quiet(`  (${answer.notes.join(", ")})`) : ""}`);
  if (answer.state === "answered") out(table(["part", "kind", "value"], prepared.parts.map((part) => [part.name, part.spec.kind, part.toCell(answer.parts[part.name]!)]), { width: { 2: 90 } }));
  else out(`  ${answer.reason}`);
  if (answer.confidence) out(`  ${quiet("confidence")}  ${percent(answer.confidence.value)} ${quiet(`by ${CONFIDENCE_WORDS[answer.confidence.by]}`)}`);
}

async function ofTemplate(project: Project, name: string, options: TryOptions): Promise<Question> {
  const loaded = await project.template(name);
  if (options.row !== undefined) throw new YoroshiError("badOption", { option: "--row", problem: "a template has no rows. Name a plan, or give values with --input." });
  const given = inputsOf(options.input);
  const unknown = Object.keys(given).find((input) => !(input in loaded.template.inputs));
  if (unknown !== undefined) throw new YoroshiError("badOption", { option: "--input", problem: `the template has no input \`${unknown}\`. Inputs: ${Object.keys(loaded.template.inputs).join(", ")}.` });
  const cells = Object.fromEntries(Object.entries(loaded.template.inputs).map(([input, spec]) => [input, given[input] ?? (sampleCell(spec.sample))]));
  return { loaded, cells, notes: [], from: Object.keys(given).length > 0 ? "the inputs given" : "the template's own sample" };
}

async function ofPlan(project: Project, name: string, options: TryOptions): Promise<Question> {
  const { setup } = await project.fillSetup(name, { asks: false });
  const steps = templateSteps(setup.plan);
  const chosen = options.step === undefined ? steps[0] : steps.find((one) => one.name === options.step);
  if (!chosen) throw new YoroshiError("badOption", { option: "--step", problem: `the plan has no template step \`${options.step ?? ""}\`. Steps: ${steps.map((one) => one.name).join(", ") || "none"}.` });
  const row = await findRow(setup.table.read(), options.row);
  if (!row) throw new YoroshiError("keyNotFound", { keys: [options.row ?? "(first row)"], table: setup.table.name });
  const given = inputsOf(options.input);
  const loaded = await project.template(chosen.step.template);
  const own = await inputCells(setup, row, chosen.name);
  return { loaded, cells: { ...own.cells, ...given }, notes: own.notes, from: `${row.key}, ${row.place} of ${setup.table.name}` };
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

function inputsOf(pairs: readonly string[] = []): Record<string, string> {
  return Object.fromEntries(
    pairs.map((pair) => {
      const at = pair.indexOf("=");
      if (at < 1) throw new YoroshiError("badOption", { option: "--input", problem: `\`${pair.slice(0, 30)}\` is not \`name=value\`.` });
      return [pair.slice(0, at), pair.slice(at + 1)];
    }),
  );
}

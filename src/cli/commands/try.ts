import { formatMoney, plural, YoroshiError } from "../../core/ground/index.js";
import { runJob, tryRow, type TryReport } from "../../jobs/index.js";
import { block, cut, duration, good, heading, note, out, outJson, percent, quiet, standinNote, table, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";
import { printEvidence } from "../print/evidence.js";
import { printPrompt } from "./show.js";

interface TryOptions extends CommonOptions {
  readonly row?: string | undefined;
  readonly step?: string | undefined;
  readonly input?: readonly string[] | undefined;
  readonly fresh?: boolean | undefined;
}

const CONFIDENCE_WORDS = {
  agreement: "agreement of several asks",
  logProbabilities: "the probabilities of its tokens",
  stated: "the model's own word",
};

/** What came of a row that was asked about. */
type Tried = Extract<TryReport, { prompt: unknown }>;

/** `yoroshi try`: one row in; the exact prompt, the raw reply, the typed answer and its cost out. */
export async function tryOne(name: string, options: TryOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(tryRow, project, {
      of: name,
      row: options.row,
      step: options.step,
      inputs: inputsOf(options.input),
      fresh: options.fresh,
    });
    if (options.json) outJson(report);
    else if (!("prompt" in report)) out(`${warn("Not asked:")} ${report.reason}.`);
    else printTried(report, project.settings.currency);
    return report.state === "answered" ? 0 : 1;
  });
}

function printTried(report: Tried, currency: string): void {
  out(heading(report.template) + quiet(`  on ${report.from}, asked of ${report.modelName}`));
  const isCondensed = report.noteCodes.includes("condensed");
  out(`\n${heading("Prompt")}${isCondensed ? quiet("  with the long input as it was before it was condensed") : ""}`);
  printPrompt(report.prompt);
  out(`\n${heading("Reply")}\n${block(report.raw)}`);
  for (const text of report.inputNotes) out(`\n${warn("Left out:")} ${text}.`);
  for (const [input, note] of Object.entries(report.shortened)) out(`\n${warn("Shortened:")} ${input}, ${note}.`);
  printAnswer(report);
  printExchanges(report, currency);
  const cost = `${plural(report.usage.tokensIn, "token")} in, ${report.usage.tokensOut} out, ${formatMoney(Math.round(report.spent * 1e6), currency)}, ${duration(report.tookMs)}`;
  out(`\n${quiet(report.known ? `Known from the ledger, so nothing was asked. It cost ${cost} when it was.` : cost)}`);
  const standin = standinNote(report.standin);
  if (standin) note(standin);
}

/** The requests of an answer that took more than the question and a mend. */
function printExchanges({ exchanges }: Tried, currency: string): void {
  if (!exchanges) return;
  out(`\n${heading("Requests")}  ${quiet(String(exchanges.length))}`);
  out(
    table(
      ["why", "model", "reply", "cost"],
      exchanges.map(({ why, model, raw, spent }) => [why, model, cut(raw, 76), formatMoney(spent, currency)]),
      { right: [3] },
    ),
  );
}

function printAnswer({ state, notes, cells, reason, confidence, evidence }: Tried): void {
  out(
    `\n${heading("Answer")}  ${state === "answered" ? good("answered") : warn(state)}${notes.length > 0 ? quiet(`  (${notes.join(", ")})`) : ""}`,
  );
  if (state === "answered")
    out(
      table(
        ["part", "kind", "value"],
        cells.map(({ part, kind, value }) => [part, kind, value]),
        { width: { 2: 90 } },
      ),
    );
  else out(`  ${reason}`);
  printEvidence(evidence);
  if (confidence) out(`  ${quiet("confidence")}  ${percent(confidence.value)} ${quiet(`by ${CONFIDENCE_WORDS[confidence.by]}`)}`);
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

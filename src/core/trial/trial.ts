import { askPrepared, type Answer } from "../answer/index.js";
import { atOnce, canonicalJson, relaySignal, type CancelSignal, type Clock, type Json, type Micros } from "../ground/index.js";
import { recallFrom, type Ledger } from "../ledger/index.js";
import { budgeted, budgetFor, paced, retrying, type Model } from "../model/index.js";
import { fingerprinter, type Prepared } from "../template/index.js";
import { compare, type PartComparison } from "./compare.js";
import { grade, type Disagreement, type Graded, type PartGrade } from "./grade.js";
import type { Sample, Samples, UnfitSample } from "./samples.js";

export interface TrialSetup {
  readonly prepared: Prepared;
  readonly version: number;
  readonly model: Model;
  /** The models that the template names besides its own, by name. */
  readonly others?: Readonly<Record<string, Model>> | undefined;
  readonly ledger: Ledger;
  readonly clock: Clock;
  readonly samples: Samples;
}

export interface TrialOptions {
  /** Most requests at once. Default 8. */
  readonly atOnce?: number | undefined;
  readonly spendCap?: Micros | undefined;
  readonly signal?: CancelSignal | undefined;
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

export interface TrialReport {
  readonly run: string;
  readonly template: string;
  readonly version: number;
  readonly model: string;
  /** The samples file, for messages. */
  readonly file: string;
  readonly samples: number;
  readonly asked: number;
  readonly reused: number;
  readonly unanswered: number;
  readonly tokensIn: number;
  readonly tokensOut: number;
  /** What this trial cost now; answers known before cost nothing again. */
  readonly spent: Micros;
  /** What all its answers cost when they were asked. */
  readonly worth: Micros;
  readonly tookMs: number;
  readonly parts: readonly PartGrade[];
  readonly disagreements: readonly Disagreement[];
  /** Whether the second look helped, part by part, where the template has one. */
  readonly secondLook?: readonly PartComparison[] | undefined;
  /** Samples that the template carries as examples; they are not graded. */
  readonly examples: readonly string[];
  readonly unfit: readonly UnfitSample[];
}

const DEFAULT_AT_ONCE = 8;

/**
 * Grades a template on samples. Answers that the ledger knows are reused, so that a trial where nothing changed asks
 * nothing, and one with new samples asks only about those.
 *
 * @throws ModelFailure when the model cannot be used, BudgetSpent when the cap is too small; what was answered is kept.
 */
export async function trial(setup: TrialSetup, options: TrialOptions = {}): Promise<TrialReport> {
  const { prepared, ledger, clock } = setup;
  const { samples, examples } = withoutExamples(prepared, setup.samples);
  const began = clock.now();
  const run = `trial-${began.toString(36)}-${Math.floor(clock.random() * 0xffffff).toString(36)}`;
  const { template } = prepared;
  await ledger.startRun({ id: run, kind: "trial", subject: template.name, startedAt: began });
  const { answers, asked } = await answerAll({ ...setup, samples }, options, run);
  const graded = samples.samples.map((_, index): Graded => {
    const answer = answers[index]!;
    return answer.state === "answered" ? { parts: answer.parts } : { reason: answer.reason };
  });
  const grades = grade(prepared, samples.graded, samples.samples, graded);
  const now = answers.filter((_, index) => asked.has(index));
  const report: TrialReport = {
    run,
    template: template.name,
    version: setup.version,
    model: setup.model.id,
    file: samples.file,
    samples: samples.samples.length,
    asked: now.length,
    reused: answers.length - now.length,
    unanswered: answers.filter((answer) => answer.state !== "answered").length,
    tokensIn: sum(now, (answer) => answer.usage.tokensIn),
    tokensOut: sum(now, (answer) => answer.usage.tokensOut),
    spent: sum(now, (answer) => answer.spent),
    worth: sum(answers, (answer) => answer.spent),
    tookMs: clock.now() - began,
    unfit: samples.unfit,
    examples,
    ...grades,
    ...(prepared.template.secondLook ? { secondLook: compare(grades.parts, grade(prepared, samples.graded, samples.samples, answers.map(beforeSecondLook)).parts) } : {}),
  };
  await ledger.endRun({ id: run, endedAt: clock.now(), end: "done", tally: report as unknown as Json });
  await ledger.flush();
  return report;
}

const beforeSecondLook = (answer: Answer): Graded => (answer.state === "answered" ? { parts: answer.firstParts ?? answer.parts } : { reason: answer.reason });

/** A row that the template shows as an example would grade the model's memory, not its judgement. */
function withoutExamples(prepared: Prepared, all: Samples): { samples: Samples; examples: string[] } {
  const shown = new Set(prepared.examples.map((example) => canonicalJson(example.inputs)));
  const isExample = (sample: Sample): boolean => shown.has(canonicalJson(Object.fromEntries(Object.entries(sample.inputs).filter(([, value]) => value !== null)))) || shown.has(canonicalJson(sample.inputs));
  if (shown.size === 0) return { samples: all, examples: [] };
  return { samples: { ...all, samples: all.samples.filter((sample) => !isExample(sample)) }, examples: all.samples.filter(isExample).map(({ id }) => id) };
}

/** The newest trial of the template with another version on the same samples file, to compare with. */
export async function earlierTrial(ledger: Ledger, report: TrialReport, version?: number): Promise<TrialReport | undefined> {
  const runs = await ledger.runs("trial", report.template, 200);
  const reports = runs.flatMap((run) => (run.tally ? [run.tally as unknown as TrialReport] : []));
  return reports.find((other) => other.file === report.file && (version === undefined ? other.version !== report.version : other.version === version));
}

async function answerAll(setup: TrialSetup, options: TrialOptions, run: string): Promise<{ answers: Answer[]; asked: Set<number> }> {
  const { prepared, ledger, clock, samples, model } = setup;
  const fingerprint = fingerprinter(prepared, model, undefined, setup.others);
  const marks = samples.samples.map((sample) => fingerprint(sample.inputs));
  const known = await ledger.answers(marks);
  const answers = new Map<string, Answer>();
  for (const [index, record] of known.entries()) if (record) answers.set(marks[index]!, record.answer);
  // Samples with the same inputs are one question; the first of them counts as asked.
  const firsts = new Map<string, number>();
  for (const [index, mark] of marks.entries()) if (!firsts.has(mark)) firsts.set(mark, index);
  const questions = [...firsts].filter(([mark]) => !answers.has(mark));
  const asked = new Set<number>();
  for (const other of Object.values(setup.others ?? {})) budgetFor(other, options.spendCap);
  const budget = budgetFor(model, options.spendCap);
  const layer = (one: Model): Model => retrying(clock)(paced(clock, one.limits)(budgeted(budget)(one)));
  const layered = layer(model);
  const others = Object.fromEntries(Object.entries(setup.others ?? {}).map(([name, one]) => [name, layer(one)]));
  const recall = recallFrom(ledger, { version: 1, model: model.id, run, now: () => clock.now() });
  let done = marks.length - questions.length;
  options.onProgress?.(done, marks.length);
  const signal = relaySignal(options.signal);
  const places = atOnce(options.atOnce ?? model.limits?.atOnce ?? DEFAULT_AT_ONCE);
  let failure: { readonly error: unknown } | undefined;
  for (const [mark, index] of questions) {
    await places.start(async () => {
      if (failure) return;
      try {
        const answer = await askPrepared(prepared, samples.samples[index]!.inputs, { model: layered, others, recall, clock, signal: signal.signal });
        answers.set(mark, answer);
        asked.add(index);
        if (answer.state !== "failed") {
          await ledger.record({ answers: [{ fingerprint: mark, template: prepared.template.name, version: setup.version, model: model.id, run, at: clock.now(), answer }] });
        }
        options.onProgress?.(++done, marks.length);
      } catch (error) {
        failure ??= { error };
      }
    });
  }
  await places.idle();
  signal.release();
  if (failure) throw failure.error;
  return { answers: marks.map((mark) => answers.get(mark)!), asked };
}

function sum<T>(items: readonly T[], of: (item: T) => number): number {
  return items.reduce((total, item) => total + of(item), 0);
}

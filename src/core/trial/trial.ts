import type { Answer } from "../answer/index.js";
import { modelsAsked, openAsking, readyAsking, type Asking, type OpenAsking } from "../asking/index.js";
import {
  canonicalJson,
  keep,
  relaySignal,
  sentenceOf,
  sha256Hex,
  YoroshiError,
  type CancelSignal,
  type Clock,
  type Micros,
} from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import type { Prepared } from "../template/index.js";
import type { GradeOptions } from "./figures.js";
import type { Graded } from "./grade.js";
import type { Judge, JudgedText } from "./judge.js";
import type { Sample, Samples } from "./samples.js";
import { REPORT_FORMAT, type TrialReport } from "./report.js";

export interface TrialSetup extends Asking {
  readonly ledger: Ledger;
  readonly clock: Clock;
  readonly samples: Samples;
  /** Most that all runs on this ledger may spend in a calendar month (UTC), in millionths. */
  readonly monthlyCap?: Micros | undefined;
}

/** What is told while a trial goes on. */
export interface TrialEvents {
  /** How many of the samples are done. */
  progress?(progress: { readonly done: number; readonly total: number }): void;
}

/** How a trial is made. */
export interface TrialOptions {
  /** Most requests at once. Default 8. */
  readonly atOnce?: number | undefined;
  readonly spendCap?: Micros | undefined;
  readonly signal?: CancelSignal | undefined;
  /** How often each row is asked, to see how steady the answers are. Default 1. */
  readonly asks?: number | undefined;
  /** Rows that share a request, at most. Default 1. */
  readonly rowsPerRequest?: number | undefined;
  /** Columns by whose values the figures are told apart; see `sliceGrades`. */
  readonly slices?: readonly string[] | undefined;
  /** Grade the sealed samples instead of the others. */
  readonly sealed?: boolean | undefined;
  readonly grading?: GradeOptions | undefined;
  /** Part -> the template that judges its texts. */
  readonly judges?: Readonly<Record<string, Judge>> | undefined;
  /** The accuracy for which the report seeks a threshold of confidence. Default 0.9. */
  readonly reach?: number | undefined;
  readonly on?: TrialEvents | undefined;
}

/**
 * Grades a template on samples. Answers that the ledger knows are reused, so that a trial where nothing changed asks
 * nothing, and one with new samples asks only about those.
 *
 * @throws ModelFailure when the model cannot be used, BudgetSpent when the cap is too small; what was answered is kept.
 * @example
 * ```ts
 * import { readSamples, trial } from "yoroshi";
 *
 * // `prepared` and `setup` as in the example of `fill`.
 * const rows = [{ place: "row 1", values: { note: "An angry complaint.", tone: "upset" } }];
 * const samples = readSamples(prepared, "samples/tone.csv", ["note", "tone"], rows);
 * const { parts } = await trial({ ...setup.asking["tone"]!, samples, ledger: setup.ledger, clock: setup.clock });
 * [parts[0]!.right, parts[0]!.graded]; // => [1, 1]
 * parts[0]!.interval.high; // => 1
 * ```
 */
export async function trial(setup: TrialSetup, options: TrialOptions = {}): Promise<TrialReport> {
  const { prepared, ledger, clock } = setup;
  const { samples, examples, sealed } = await chosenSamples(setup, options);
  const began = clock.now();
  const run = `trial-${began.toString(36)}-${Math.floor(clock.random() * 0xffffff).toString(36)}`;
  const { template } = prepared;
  await ledger.runs.start({ id: run, kind: "trial", subject: template.name, startedAt: began });
  const signal = relaySignal(options.signal);
  const judges = Object.entries(options.judges ?? {});
  const asking = openAsking({
    ledger,
    clock,
    run,
    models: modelsAsked([setup, ...judges.map(([, judge]) => judge)]),
    atOnce: options.atOnce ?? setup.model.limits?.atOnce,
    spendCap: options.spendCap,
    monthlyCap: setup.monthlyCap,
    drop: signal.signal,
  });
  try {
    return await gradeAnswers({ ...setup, samples }, options, asking, judges, { run, began, examples, sealed });
  } finally {
    signal.release();
    await asking.close();
  }
}

/** What is known of a trial before anything is asked. */
type Begun = Pick<TrialReport, "run" | "examples" | "sealed"> & { readonly began: number };

/** Answers to all samples, and which of them were asked for now. */
interface Round {
  readonly answers: readonly Answer[];
  readonly asked: ReadonlySet<number>;
}

async function gradeAnswers(
  setup: TrialSetup,
  options: TrialOptions,
  asking: OpenAsking,
  judges: readonly (readonly [string, Judge])[],
  { run, began, examples, sealed }: Begun,
): Promise<TrialReport> {
  const { prepared, ledger, clock, samples } = setup;
  const { template } = prepared;
  const rounds: (readonly Answer[])[] = [];
  let now: Answer[] = [];
  for (let ask = 0; ask < (options.asks ?? 1); ask++) {
    const round = await answerAll(asking, setup, options, ask);
    rounds.push(round.answers);
    now = [...now, ...round.answers.filter((_, index) => round.asked.has(index))];
  }
  const answers = rounds[0]!;
  // The figures are loaded once there is something to grade: a page that only asks and fills does without them.
  const { adviseOn, compare, evidenceFigures, grade, judgedOf, judgeInputs, partConfidence, sliceGrades, steadiness } =
    await import("./grading.js");
  const graded = answers.map(asGraded);
  const grades = grade(prepared, samples.graded, samples.samples, graded, options.grading);
  const steady =
    rounds.length > 1
      ? steadiness(
          prepared,
          samples.graded,
          samples.samples,
          rounds.map((round) => round.map(asGraded)),
        )
      : [];
  const confidences = new Map(
    answers.flatMap((answer, index) => (answer.confidence ? [[samples.samples[index]!.id, answer.confidence] as const] : [])),
  );
  const judged: JudgedText[] = [];
  for (const [part, judge] of judges) {
    const inputs = answers.flatMap((answer, index) => {
      const sample = samples.samples[index]!;
      const given = judgeInputs(judge, part, sample, answer);
      return given ? [{ ...sample, inputs: given }] : [];
    });
    const round = await answerAll(asking, { ...judge, samples: { ...samples, samples: inputs } }, options, 0);
    now = [...now, ...round.answers.filter((_, index) => round.asked.has(index))];
    judged.push(judgedOf(judge, part, round.answers));
  }
  const report: TrialReport = {
    run,
    template: template.name,
    version: setup.version,
    model: setup.model.id,
    file: samples.file,
    samples: samples.samples.length,
    asked: now.length,
    reused: Math.max(0, answers.length * rounds.length + sum(judged, ({ rows }) => rows) - now.length),
    unanswered: answers.filter((answer) => answer.state !== "answered").length,
    tokensIn: sum(now, (answer) => answer.usage.tokensIn),
    tokensOut: sum(now, (answer) => answer.usage.tokensOut),
    spent: sum(now, (answer) => answer.spent),
    worth: sum(answers, (answer) => answer.spent),
    tookMs: clock.now() - began,
    answerMs: sum(answers, (answer) => answer.tookMs),
    unfit: samples.unfit,
    examples,
    sealed,
    agreement: samples.agreement,
    slices: sliceGrades(options.slices ?? [], samples.columns, samples.file, samples.samples, grades.parts),
    steadiness: steady,
    judged,
    confidence: confidences.size === 0 ? [] : grades.parts.map((part) => partConfidence(part, confidences, options.reach ?? DEFAULT_REACH)),
    advice: adviseOn(grades.parts, samples.samples, grades.disagreements, confidences, steady),
    ...grades,
    ...(prepared.parts.some(({ spec }) => spec.evidence) ? { evidence: evidenceFigures(prepared, answers) } : {}),
    ...(prepared.template.secondLook
      ? {
          secondLook: compare(
            grades.parts,
            grade(prepared, samples.graded, samples.samples, answers.map(beforeSecondLook), { ...options.grading, resamples: 0 }).parts,
          ),
        }
      : {}),
  };
  await ledger.runs.end({ id: run, endedAt: clock.now(), end: "done", tally: keep({ format: REPORT_FORMAT }, report) });
  await ledger.flush();
  return report;
}

const beforeSecondLook = (answer: Answer): Graded =>
  answer.state === "answered" ? { parts: answer.firstParts ?? answer.parts } : { reason: sentenceOf(answer.reason) };

const asGraded = (answer: Answer): Graded =>
  answer.state === "answered" ? { parts: answer.parts, evidence: answer.evidence } : { reason: sentenceOf(answer.reason) };

const DEFAULT_REACH = 0.9;

/**
 * The samples that this trial grades: the working ones, or the sealed ones when asked for. Each look at the sealed ones
 * is counted in the ledger, since looking often and choosing what does best there wears them out.
 */
async function chosenSamples(
  { prepared, samples: all, ledger }: TrialSetup,
  { sealed = false }: TrialOptions,
): Promise<{ samples: Samples; examples: string[]; sealed: TrialReport["sealed"] }> {
  const { samples: gradable, examples } = withoutExamples(prepared, all);
  const rows = gradable.samples.filter((sample) => sample.sealed).length;
  if (sealed && rows === 0)
    throw new YoroshiError("samplesUnfit", { file: all.file, problem: "no row of it is sealed. Seal some: `yoroshi samples seal`." });
  const note = `sealed:${all.file}:${prepared.template.name}`;
  const looks = rows === 0 ? 0 : Number((await ledger.facts.get(note)) ?? 0);
  if (sealed) await ledger.facts.set(note, looks + 1);
  const samples = { ...gradable, samples: gradable.samples.filter((sample) => sample.sealed === sealed) };
  if (samples.samples.length === 0)
    throw new YoroshiError("samplesUnfit", {
      file: all.file,
      problem: "no row of it can be graded: none has a right value, inputs that can be asked, and is neither an example nor sealed.",
    });
  return { samples, examples, sealed: { graded: sealed, rows, looks: sealed ? looks + 1 : looks } };
}

/** A row that the template shows as an example would grade the model's memory, not its judgement. */
function withoutExamples(prepared: Prepared, all: Samples): { samples: Samples; examples: string[] } {
  const shown = new Set(prepared.examples.map((example) => canonicalJson(example.inputs)));
  const isExample = (sample: Sample): boolean =>
    shown.has(canonicalJson(Object.fromEntries(Object.entries(sample.inputs).filter(([, value]) => value !== null)))) ||
    shown.has(canonicalJson(sample.inputs));
  if (shown.size === 0) return { samples: all, examples: [] };
  return {
    samples: { ...all, samples: all.samples.filter((sample) => !isExample(sample)) },
    examples: all.samples.filter(isExample).map(({ id }) => id),
  };
}

async function answerAll(
  asking: OpenAsking,
  { prepared, version, model, others, samples }: Asking & { readonly samples: Samples },
  options: TrialOptions,
  ask: number,
): Promise<Round> {
  const about = readyAsking({ prepared, version, model, others });
  // Answers to rows that shared a request are kept apart: they are not those that a row alone got.
  const together = options.rowsPerRequest ?? 1;
  const questions = samples.samples.map(({ inputs }, index) => {
    const fingerprint = about.fingerprint(inputs, ask);
    return {
      asking: about,
      inputs,
      fingerprint: together === 1 ? fingerprint : sha256Hex(`${fingerprint} with ${together}`),
      ask,
      rowsPerRequest: together,
      index,
    };
  });
  const answers: Answer[] = [];
  const asked = new Set<number>();
  let done = 0;
  options.on?.progress?.({ done, total: questions.length });
  for await (const { question, answer, came } of asking.answers(questions)) {
    answers[question.index] = answer;
    if (came === "asked") asked.add(question.index);
    options.on?.progress?.({ done: ++done, total: questions.length });
  }
  return { answers, asked };
}

function sum<T>(items: readonly T[], of: (item: T) => number): number {
  return items.reduce((total, item) => total + of(item), 0);
}

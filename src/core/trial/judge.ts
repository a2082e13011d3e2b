import type { Answer } from "../answer/index.js";
import type { Asking } from "../asking/index.js";
import { YoroshiError, type Json } from "../ground/index.js";
import { wilson, type Interval } from "../statistics/index.js";
import type { NamedShape } from "../template/index.js";
import { valueAt } from "./grade.js";
import type { Sample } from "./samples.js";

/**
 * A template that judges the texts of another: it is given the row's inputs by their names, the `answer`, and the `truth` where it wants
 * one.
 */
export type Judge = Asking;

/** What a judging template made of a part's texts. How far it can be trusted its own trial against people tells. */
export interface JudgedText {
  readonly part: string;
  readonly template: string;
  readonly version: number;
  /** Texts that were judged; rows without an answer, and those the judge did not answer, are left out. */
  readonly rows: number;
  /** Those it found good: a yes, or a score in the upper half of its scale. */
  readonly good: number;
  readonly interval: Interval;
  /** Mean score on the judge's scale, where it gives one. */
  readonly meanScore?: number | undefined;
}

/** The inputs of a judge for one answered sample; `undefined` where there is nothing to judge. */
export function judgeInputs(judge: Judge, part: string, sample: Sample, answer: Answer): Record<string, Json> | undefined {
  const text = answer.state === "answered" ? valueAt(answer.parts, part) : undefined;
  if (text === undefined || text === null) return undefined;
  const inputs: Record<string, Json> = {};
  for (const { name, spec } of judge.prepared.inputs) {
    const value = name === "answer" ? text : name === "truth" ? sample.truth[part] : sample.inputs[name];
    if (value === undefined && spec.required !== false) {
      if (name !== "truth")
        throw new YoroshiError("misuse", {
          problem: `The judging template ${judge.prepared.template.name} needs the input \`${name}\`, which the samples do not have. A judge knows \`answer\`, \`truth\` and the inputs of the template that it judges.`,
        });
      return undefined;
    }
    inputs[name] = value ?? null;
  }
  return inputs;
}

/** Sums up what a judge answered. */
export function judgedOf(judge: Judge, part: string, answers: readonly Answer[]): JudgedText {
  const verdict = verdictOf(judge);
  const values = answers.flatMap((answer) => (answer.state === "answered" ? [answer.parts[verdict.name]!] : []));
  const good = values.filter((value) => verdict.kind.isGood!(verdict.spec, value)).length;
  const numbers = values.filter((value) => typeof value === "number");
  return {
    part,
    template: judge.prepared.template.name,
    version: judge.version,
    rows: values.length,
    good,
    interval: wilson(good, values.length),
    ...(numbers.length > 0 ? { meanScore: numbers.reduce((sum, value) => sum + value, 0) / numbers.length } : {}),
  };
}

function verdictOf({ prepared }: Judge): NamedShape {
  const verdict = prepared.parts.find((part) => part.kind.isGood);
  if (!verdict)
    throw new YoroshiError("misuse", {
      problem: `The judging template ${prepared.template.name} has no part of the kind yesNo or score to judge by.`,
    });
  return verdict;
}

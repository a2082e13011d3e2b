import { canonicalJson } from "../ground/index.js";
import { fleissKappa } from "../statistics/index.js";
import type { Prepared } from "../template/index.js";
import { valueAt, type Graded } from "./grade.js";
import type { Sample } from "./samples.js";

/** How far the same question gets the same answer. */
export interface Steadiness {
  readonly part: string;
  /** How often each row was asked. */
  readonly asks: number;
  readonly rows: number;
  /** Share of rows whose answers are all the same; no answer is a value of its own. */
  readonly same: number;
  readonly kappa: number | null;
  /** Rows whose answers differ most, with what they were. */
  readonly least: readonly { readonly id: string; readonly answers: readonly string[] }[];
}

const SHOWN = 10;
const NONE = "(none)";

/** @param rounds for each time that the rows were asked, the answers in the samples' order. */
export function steadiness(
  prepared: Prepared,
  graded: readonly string[],
  samples: readonly Sample[],
  rounds: readonly (readonly Graded[])[],
): Steadiness[] {
  return graded.map((part) => {
    const answers = samples.map((_, row) => rounds.map((round) => textOf(round[row]!, part)));
    const spread = answers.map((given) => new Set(given).size);
    return {
      part,
      asks: rounds.length,
      rows: samples.length,
      same: samples.length === 0 ? 0 : spread.filter((count) => count === 1).length / samples.length,
      kappa: fleissKappa(answers),
      least: samples
        .map((sample, row) => ({ id: sample.id, answers: answers[row]!, spread: spread[row]! }))
        .filter((row) => row.spread > 1)
        .sort((a, b) => b.spread - a.spread)
        .slice(0, SHOWN)
        .map(({ id, answers: given }) => ({ id, answers: given })),
    };
  });

  function textOf(answer: Graded, part: string): string {
    if (!("parts" in answer)) return NONE;
    const value = valueAt(answer.parts, part);
    const shape = prepared.parts.find((candidate) => candidate.name === part);
    return value === undefined ? NONE : shape ? shape.toCell(value) : canonicalJson(value);
  }
}

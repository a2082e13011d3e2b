import type { Answer } from "../answer/index.js";
import type { Evidence } from "../sources/index.js";
import { wilson, type Interval } from "../statistics/index.js";
import type { Prepared } from "../template/index.js";

/** How often words were found that carry a part, among the answers that needed some. */
export interface EvidenceFigures {
  readonly part: string;
  /** Answers whose part needed words, or had some. */
  readonly answers: number;
  readonly atOnce: number;
  readonly mended: number;
  readonly never: number;
  /** Share of those found at once, with its 95 % Wilson interval; the same for those never found. */
  readonly atOnceInterval: Interval;
  readonly neverInterval: Interval;
}

/** The figures of a part whose words were found so. */
export function figuresOfEvidence(part: string, found: readonly Evidence["found"][]): EvidenceFigures {
  const count = (how: Evidence["found"]): number => found.filter((one) => one === how).length;
  const [atOnce, mended, never] = [count("atOnce"), count("mended"), count("never")];
  return {
    part,
    answers: found.length,
    atOnce,
    mended,
    never,
    atOnceInterval: wilson(atOnce, found.length),
    neverInterval: wilson(never, found.length),
  };
}

/** Counts each part that demands evidence. */
export const evidenceFigures = ({ parts }: Pick<Prepared, "parts">, answers: readonly Answer[]): EvidenceFigures[] =>
  parts
    .filter(({ spec }) => spec.evidence)
    .map(({ name }) =>
      figuresOfEvidence(
        name,
        answers.flatMap(({ evidence }) => evidence?.[name]?.found ?? []),
      ),
    );

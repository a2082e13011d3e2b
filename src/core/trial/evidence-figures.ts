import type { Answer } from "../answer/index.js";
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

/** Counts each part that demands evidence. */
export function evidenceFigures({ parts }: Pick<Prepared, "parts">, answers: readonly Answer[]): EvidenceFigures[] {
  return parts
    .filter(({ spec }) => spec.evidence)
    .map(({ name }) => {
      const found = answers.flatMap(({ evidence }) => evidence?.[name]?.found ?? []);
      const count = (how: (typeof found)[number]): number => found.filter((one) => one === how).length;
      const [atOnce, mended, never] = [count("atOnce"), count("mended"), count("never")];
      return {
        part: name,
        answers: found.length,
        atOnce,
        mended,
        never,
        atOnceInterval: wilson(atOnce, found.length),
        neverInterval: wilson(never, found.length),
      };
    });
}

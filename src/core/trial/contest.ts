import type { Json } from "../ground/index.js";
import type { Prepared } from "../template/index.js";
import { adjust, compare, type PartComparison } from "./compare.js";
import type { GradeOptions } from "./figures.js";
import { grade, type Graded, type PartGrade } from "./grade.js";
import type { Samples } from "./samples.js";

/** One that takes part in a comparison. */
export interface Contestant {
  /** `version 2`, `one-line`, `model careful`, `column oldHazard`. */
  readonly name: string;
  readonly parts: readonly PartGrade[];
  /** Cost of a thousand rows in millionths, and their time; `undefined` for a column. */
  readonly costPerThousand?: number | undefined;
  readonly msPerThousand?: number | undefined;
}

/** Every pair of the first contestant with each other one, p-values adjusted for their number. */
export interface Contest {
  readonly first: string;
  readonly against: readonly { readonly name: string; readonly parts: readonly PartComparison[] }[];
}

export function contest(first: Contestant, others: readonly Contestant[]): Contest {
  const comparisons = others.map((other) => compare(first.parts, other.parts));
  const adjusted = others.length > 1 ? adjust(comparisons) : comparisons;
  return { first: first.name, against: others.map((other, index) => ({ name: other.name, parts: adjusted[index]! })) };
}

/**
 * Grades what stands in columns of the samples (an old score, a rule's result, a person's quick guess) as if it were an
 * answer. A blank cell or one outside the part's kind is no answer.
 *
 * @param columns part -> column
 */
export function gradeColumns(
  prepared: Prepared,
  samples: Samples,
  columns: Readonly<Record<string, string>>,
  options: GradeOptions = {},
): PartGrade[] {
  const parts = Object.keys(columns).filter((part) => samples.graded.includes(part));
  const answers = samples.samples.map((sample): Graded => {
    const given: Record<string, Json> = {};
    for (const part of parts) {
      const cell = sample.values[columns[part]!]?.trim() ?? "";
      const reading = cell === "" ? undefined : prepared.parts.find(({ name }) => name === part)?.fromCell(cell);
      if (reading?.ok) given[part] = reading.value;
    }
    return { parts: given };
  });
  return grade(prepared, parts, samples.samples, answers, options).parts;
}

/** What may be concluded from a comparison, in one sentence without names of tests. */
export function conclusion(
  first: string,
  other: string,
  { rows, difference, interval, p, beyondChance, moreRows }: PartComparison,
): string {
  const points = `${difference >= 0 ? "+" : "−"}${Math.abs(difference * 100).toFixed(1)} points, 95 % interval ${(interval.low * 100).toFixed(1)} to ${(interval.high * 100).toFixed(1)}`;
  if (beyondChance) return difference > 0 ? `${first} is better: ${points}` : `${other} is better: ${points} for ${first}`;
  if (p < 0.05) return `${difference > 0 ? first : other} leads (${points}), yet among so many comparisons that may be chance`;
  const more =
    moreRows === undefined ? "they did equally well" : moreRows > 5_000 ? "thousands more would be needed" : `about ${moreRows} more would`;
  return `these ${rows} rows cannot tell them apart (${points}); ${more}`;
}

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

/**
 * Holds a contestant against others on the samples that both were graded on, part by part; p-values are adjusted for their number.
 *
 * @example
 * ```ts
 * import { conclusion, contest, gradeColumns, readSamples } from "yoroshi";
 *
 * // `prepared` as in the example of `fill`; two columns of one file are held against each other.
 * const rows = [1, 2, 3, 4].map((row) => ({ place: `row ${row}`, values: { note: `Note ${row}.`, tone: "calm", mine: "calm", old: "upset" } }));
 * const samples = readSamples(prepared, "samples/tone.csv", ["note", "tone", "mine", "old"], rows);
 * const [mine, old] = ["mine", "old"].map((name) => ({ name, parts: gradeColumns(prepared, samples, { tone: name }) }));
 * const { against } = contest(mine!, [old!]);
 * const [tone] = against[0]!.parts;
 * [tone!.won, tone!.lost]; // => [4, 0]
 * console.log(conclusion("mine", "old", tone!));
 * ```
 */
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
 * @example
 * ```ts
 * import { gradeColumns, readSamples } from "yoroshi";
 *
 * // `prepared` as in the example of `fill`; a column of old labels is graded as if it were an answer.
 * const rows = [{ place: "row 1", values: { note: "An angry complaint.", tone: "upset", old: "calm" } }];
 * const samples = readSamples(prepared, "samples/tone.csv", ["note", "tone", "old"], rows);
 * gradeColumns(prepared, samples, { tone: "old" })[0]!.right; // => 0
 * ```
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

/**
 * What may be concluded from a comparison, in one sentence without names of tests.
 *
 * @example
 * ```ts
 * import { conclusion, contest } from "yoroshi";
 *
 * // Two trials that were made before.
 * const none = { kind: "choice", graded: 2, unanswered: 0, interval: { low: 0, high: 1 } };
 * const first = { name: "mine", parts: [{ ...none, part: "tone", right: 2, accuracy: 1, verdicts: { a: true, b: true } }] };
 * const other = { name: "old", parts: [{ ...none, part: "tone", right: 1, accuracy: 0.5, verdicts: { a: true, b: false } }] };
 * const [tone] = contest(first, [other]).against[0]!.parts;
 * conclusion("mine", "old", tone!).startsWith("these 2 rows cannot tell them apart"); // => true
 * ```
 */
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

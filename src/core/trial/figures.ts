import type { Json } from "../ground/index.js";
import type { Measure } from "../kinds/index.js";
import {
  bootstrapAll,
  classReport,
  editSimilarity,
  numberReport,
  rougeL,
  rougeN,
  setReport,
  weightedKappa,
  wilson,
  type ConfusionCounts,
  type Interval,
  type NumberReport,
  type SetReport,
} from "../statistics/index.js";
import type { NamedShape } from "../template/index.js";

export interface GradeOptions {
  /** Part -> how far a number may be off and still count as near; default: one step of a score. */
  readonly within?: Readonly<Record<string, number>> | undefined;
  /** Resamples of each bootstrap interval; 0 leaves them out. Default 2,000. */
  readonly resamples?: number | undefined;
  readonly seed?: number | undefined;
}

/** A right value and what was answered; both typed. */
export interface Pair {
  readonly truth: Json;
  readonly answer: Json | undefined;
}

/** Figures beyond right and wrong, as each kind has them. Rows without an answer are left out of those about numbers. */
export interface KindFigures {
  readonly numbers?:
    | (NumberReport & {
        readonly within: number;
        readonly near: number;
        readonly nearInterval: Interval;
        readonly linearKappa?: number | null | undefined;
        readonly quadraticKappa?: number | null | undefined;
      })
    | undefined;
  /** Right value and answer of numbers, row by row, for a chart; at most 1,000. */
  readonly points?: readonly (readonly [number, number])[] | undefined;
  readonly sets?: SetReport | undefined;
  /** Means over the rows; a row without an answer counts 0. */
  readonly texts?:
    { readonly rouge1: number; readonly rouge2: number; readonly rougeL: number; readonly editSimilarity: number } | undefined;
  /** 95 % bootstrap intervals by the figure's name. */
  readonly intervals?: Readonly<Record<string, Interval>> | undefined;
  /** How good each answer was, by id, higher being better: minus the error of a number, ROUGE-L of a text. For comparisons. */
  readonly merits?: Readonly<Record<string, number>> | undefined;
}

const MOST_POINTS = 1_000;

type Answered = readonly { readonly truth: Json; readonly answer: Json }[];

export function kindFigures(
  part: NamedShape,
  pairs: readonly Pair[],
  ids: readonly string[],
  confusion: ConfusionCounts | undefined,
  options: GradeOptions,
): KindFigures {
  const measures: readonly Measure[] = part.kind.measures ?? [];
  if (pairs.length === 0) return {};
  if (measures.includes("numbers")) return numberFigures(part, pairs, ids, options);
  if (measures.includes("sets")) return setFigures(part, pairs, ids, options);
  if (measures.includes("texts")) return textFigures(pairs, ids, options);
  return confusion && part.kind.options ? { intervals: classIntervals(part, pairs, confusion, options) } : {};
}

function numberFigures(part: NamedShape, pairs: readonly Pair[], ids: readonly string[], options: GradeOptions): KindFigures {
  const answered = pairs.filter((pair): pair is Answered[number] => typeof pair.answer === "number" && typeof pair.truth === "number");
  const numbers = answered.map(({ truth, answer }) => [truth as number, answer as number] as const);
  const step = part.kind.step?.(part.spec);
  const isScore = step !== undefined;
  const within = options.within?.[part.name] ?? step ?? 0;
  const near = numbers.filter(([truth, answer]) => Math.abs(answer - truth) <= within + 1e-9).length;
  const merits = Object.fromEntries(
    pairs.flatMap(({ truth, answer }, index) =>
      typeof answer === "number" && typeof truth === "number" ? [[ids[index]!, -Math.abs(answer - truth)]] : [],
    ),
  );
  return {
    numbers: {
      ...numberReport(numbers),
      within,
      near: pairs.length === 0 ? 0 : near / pairs.length,
      nearInterval: wilson(near, pairs.length),
      ...(isScore ? { linearKappa: weightedKappa(numbers, 1), quadraticKappa: weightedKappa(numbers, 2) } : {}),
    },
    points: numbers.slice(0, MOST_POINTS),
    merits,
    intervals: intervalsOf(numbers.length, options, numberResample(numbers, isScore)),
  };
}

/** Error, bias and kappa of a resample: the other figures would take too long two thousand times. */
function numberResample(
  numbers: readonly (readonly [number, number])[],
  isScore: boolean,
): (indices: Int32Array) => Record<string, number | null> {
  const differences = numbers.map(([truth, answer]) => answer - truth);
  return (indices) => {
    let [off, sum] = [0, 0];
    for (const index of indices) {
      sum += differences[index]!;
      off += Math.abs(differences[index]!);
    }
    const n = indices.length;
    return {
      meanAbsoluteError: off / n,
      bias: sum / n,
      ...(isScore
        ? {
            quadraticKappa: weightedKappa(
              Array.from(indices, (index) => numbers[index]!),
              2,
            ),
          }
        : {}),
    };
  };
}

function setFigures(part: NamedShape, pairs: readonly Pair[], ids: readonly string[], options: GradeOptions): KindFigures {
  const asSet = (value: Json | undefined): string[] =>
    Array.isArray(value) ? value.map((item) => (typeof item === "string" ? item.trim().toLowerCase() : JSON.stringify(item))) : [];
  const sets = pairs.map(({ truth, answer }) => [asSet(truth), asSet(answer)] as const);
  const stated = (part.kind.options?.(part.spec) ?? []).map(({ name }) => name.toLowerCase());
  const known = stated.length > 0 ? stated : [...new Set(sets.flatMap(([truth, answer]) => [...truth, ...answer]))];
  const jaccards = sets.map((pair) => setReport([pair], known).jaccard);
  return {
    sets: setReport(sets, known),
    merits: Object.fromEntries(jaccards.map((value, index) => [ids[index]!, value])),
    intervals: intervalsOf(sets.length, options, (indices) => ({
      jaccard: meanOf(jaccards, indices),
      microF1: setReport(
        Array.from(indices, (index) => sets[index]!),
        known,
      ).microF1,
    })),
  };
}

function textFigures(pairs: readonly Pair[], ids: readonly string[], options: GradeOptions): KindFigures {
  const rows = pairs.map(({ truth, answer }) => {
    const [a, b] = [String(truth), typeof answer === "string" ? answer : ""];
    return answer === undefined ? [0, 0, 0, 0] : [rougeN(a, b, 1), rougeN(a, b, 2), rougeL(a, b), editSimilarity(a, b)];
  });
  const mean = (column: number): number => rows.reduce((sum, row) => sum + row[column]!, 0) / rows.length;
  const longest = rows.map((row) => row[2]!);
  return {
    texts: { rouge1: mean(0), rouge2: mean(1), rougeL: mean(2), editSimilarity: mean(3) },
    merits: Object.fromEntries(longest.map((value, index) => [ids[index]!, value])),
    intervals: intervalsOf(rows.length, options, (indices) => ({ rougeL: meanOf(longest, indices) })),
  };
}

function classIntervals(
  part: NamedShape,
  pairs: readonly Pair[],
  confusion: ConfusionCounts,
  options: GradeOptions,
): KindFigures["intervals"] {
  const places = new Map(confusion.labels.map((label, index) => [label, index]));
  const none = confusion.labels.length;
  const rows = pairs.map(
    ({ truth, answer }) => [places.get(part.toCell(truth))!, answer === undefined ? none : places.get(part.toCell(answer))!] as const,
  );
  const reportOf = (indices: Int32Array) => {
    const counts = confusion.labels.map(() => Array.from({ length: none + 1 }, () => 0));
    for (const index of indices) counts[rows[index]![0]]![rows[index]![1]]!++;
    return classReport(withoutUnused({ labels: confusion.labels, counts }));
  };
  return intervalsOf(rows.length, options, (indices) => {
    const { macro, kappa, balancedAccuracy } = reportOf(indices);
    return { macroF1: macro.f1, kappa, balancedAccuracy };
  });
}

/** A resample may miss classes; they do not count there, as they would not in a trial of those rows. */
function withoutUnused({ labels, counts }: ConfusionCounts): ConfusionCounts {
  const used = labels.map((_, index) => counts[index]!.some((count) => count > 0) || counts.some((row) => row[index]! > 0));
  if (used.every(Boolean)) return { labels, counts };
  const keep = used.flatMap((is, index) => (is ? [index] : []));
  return {
    labels: keep.map((index) => labels[index]!),
    counts: keep.map((row) => [...keep.map((column) => counts[row]![column]!), counts[row]!.at(-1)!]),
  };
}

function meanOf(values: readonly number[], indices: Int32Array): number {
  let sum = 0;
  for (const index of indices) sum += values[index]!;
  return sum / indices.length;
}

function intervalsOf(
  rows: number,
  { resamples, seed }: GradeOptions,
  figures: (indices: Int32Array) => Readonly<Record<string, number | null>>,
): Record<string, Interval> | undefined {
  return resamples === 0 || rows < 2 ? undefined : bootstrapAll(rows, figures, { seed, resamples });
}

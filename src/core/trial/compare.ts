import {
  bootstrap,
  holm,
  mcnemarExact,
  mcnemarMidP,
  newcombeP,
  newcombePaired,
  pairedPermutation,
  rowsToTellApart,
  type Interval,
} from "../statistics/index.js";
import type { PartGrade } from "./grade.js";

/** How two contestants did on the samples that both were graded on. */
export interface PartComparison {
  readonly part: string;
  readonly rows: number;
  /** Difference of accuracy, first minus second, with Newcombe's 95 % interval for paired shares; what may be concluded rests on it. */
  readonly difference: number;
  readonly interval: Interval;
  /** Rows that only the first, only the second got right. */
  readonly won: number;
  readonly lost: number;
  readonly wonIds: readonly string[];
  readonly lostIds: readonly string[];
  /** The level from which on that interval leaves 0 out; adjusted by Holm where several comparisons are made together. */
  readonly p: number;
  readonly adjustedP: number;
  /** For comparison: McNemar's exact test, two-sided, and its mid-p value. They may fall on the other side of 5 %. */
  readonly exactP: number;
  readonly midP: number;
  /** Whether the difference is beyond chance at the 5 % level, after adjustment. */
  readonly beyondChance: boolean;
  /** About how many more rows would tell the two apart, if they differ as they did; none where they did not differ. */
  readonly moreRows?: number | undefined;
  /** For numbers and texts: the mean difference of how good the answers were (higher is better), tested by permutation. */
  readonly merit?: { readonly difference: number; readonly interval: Interval | null; readonly p: number } | undefined;
}

const LEVEL = 0.05;
const MOST_IDS = 200;

/** Compares part by part, row by row. Parts that share no graded rows are left out. */
export function compare(first: readonly PartGrade[], second: readonly PartGrade[]): PartComparison[] {
  return first.flatMap((grade) => {
    const other = second.find((candidate) => candidate.part === grade.part);
    const shared = other ? Object.keys(grade.verdicts).filter((id) => other.verdicts[id] !== undefined) : [];
    return other && shared.length > 0 ? [compareRows(grade, other, shared)] : [];
  });
}

function compareRows(grade: PartGrade, other: PartGrade, shared: readonly string[]): PartComparison {
  const wonIds = shared.filter((id) => grade.verdicts[id] && !other.verdicts[id]);
  const lostIds = shared.filter((id) => !grade.verdicts[id] && other.verdicts[id]);
  const [won, lost] = [wonIds.length, lostIds.length];
  const both = shared.filter((id) => grade.verdicts[id] && other.verdicts[id]).length;
  const counts = { both, won, lost, neither: shared.length - both - won - lost };
  const p = newcombeP(counts);
  const needed = rowsToTellApart(counts);
  return {
    part: grade.part,
    rows: shared.length,
    difference: (won - lost) / shared.length,
    interval: newcombePaired(counts),
    won,
    lost,
    wonIds: wonIds.slice(0, MOST_IDS),
    lostIds: lostIds.slice(0, MOST_IDS),
    p,
    adjustedP: p,
    exactP: mcnemarExact(won, lost),
    midP: mcnemarMidP(won, lost),
    beyondChance: p < LEVEL,
    moreRows: needed === undefined ? undefined : Math.max(1, needed - shared.length),
    merit: compareMerits(grade, other, shared),
  };
}

function compareMerits(grade: PartGrade, other: PartGrade, shared: readonly string[]): PartComparison["merit"] {
  const { merits } = grade;
  const theirs = other.merits;
  if (!merits || !theirs) return undefined;
  const differences = shared.flatMap((id) => (merits[id] === undefined || theirs[id] === undefined ? [] : [merits[id] - theirs[id]]));
  if (differences.length === 0) return undefined;
  const mean = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length;
  return {
    difference: mean(differences),
    interval: bootstrap(differences.length, (indices) => indices.reduce((sum, index) => sum + differences[index]!, 0) / indices.length),
    p: pairedPermutation(differences),
  };
}

/** Comparisons that are made together, their p-values adjusted for their number within each part (Holm). */
export function adjust(comparisons: readonly (readonly PartComparison[])[]): PartComparison[][] {
  const byPart = new Map<string, { readonly at: readonly [number, number]; readonly p: number }[]>();
  comparisons.forEach((parts, i) =>
    parts.forEach((part, j) => byPart.set(part.part, [...(byPart.get(part.part) ?? []), { at: [i, j], p: part.p }])),
  );
  const result = comparisons.map((parts) => [...parts]);
  for (const entries of byPart.values()) {
    const adjusted = holm(entries.map(({ p }) => p));
    entries.forEach(
      ({ at: [i, j] }, index) =>
        (result[i]![j] = { ...result[i]![j]!, adjustedP: adjusted[index]!, beyondChance: adjusted[index]! < LEVEL }),
    );
  }
  return result;
}

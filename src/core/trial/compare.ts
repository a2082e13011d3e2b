import type { PartGrade } from "./grade.js";
import { mcnemarExact } from "../statistics/index.js";

/** How two contestants did on the samples that both were graded on. */
export interface PartComparison {
  readonly part: string;
  readonly rows: number;
  /** Difference of accuracy, first minus second. */
  readonly difference: number;
  /** Rows that only the first, only the second got right. */
  readonly won: number;
  readonly lost: number;
  /** Exact McNemar test, two-sided. */
  readonly p: number;
  /** Whether the difference is beyond chance at the 5 % level. */
  readonly beyondChance: boolean;
}

const LEVEL = 0.05;

/** Compares part by part, row by row. Parts that share no graded rows are left out. */
export function compare(first: readonly PartGrade[], second: readonly PartGrade[]): PartComparison[] {
  return first.flatMap((grade) => {
    const other = second.find((candidate) => candidate.part === grade.part);
    const shared = Object.keys(grade.verdicts).filter((id) => other?.verdicts[id] !== undefined);
    if (!other || shared.length === 0) return [];
    const won = shared.filter((id) => grade.verdicts[id] && !other.verdicts[id]).length;
    const lost = shared.filter((id) => !grade.verdicts[id] && other.verdicts[id]).length;
    const p = mcnemarExact(won, lost);
    return [{ part: grade.part, rows: shared.length, difference: (won - lost) / shared.length, won, lost, p, beyondChance: p < LEVEL }];
  });
}

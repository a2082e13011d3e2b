import { hypergeometricBounds, rowsToShow, sequentialBounds, type CountBounds } from "../statistics/index.js";

/** How many cells of a column are wrong, by a random check. */
export interface WrongFigures {
  /** How many cells there were to draw from; how many of them were judged; how many of those were wrong. */
  readonly population: number;
  readonly checked: number;
  readonly wrong: number;
  /** How many of the whole population are wrong: exact, both ends together as sure as `level`; `null` while none is checked. */
  readonly bounds: CountBounds | null;
  readonly level: number;
}

export const LEVEL = 0.95;

/** Exact bounds by the hypergeometric distribution, each end half as often wrong as both may be. */
export function wrongFigures(population: number, checked: number, wrong: number, level = LEVEL): WrongFigures {
  const bounds = checked === 0 ? null : hypergeometricBounds(population, checked, wrong, 1 - (1 - level) / 2);
  return { population, checked, wrong, bounds, level };
}

/** Whether a check shows that a column may go into the table. */
export interface ReleaseFigures {
  /** The most that may be wrong of the population. */
  readonly mostWrong: number;
  /** The most that are, by what was checked until now, however often that was looked at. */
  readonly high: number;
  readonly isShown: boolean;
  /** How many more rows must be right in a row until it is shown; `null` where even all would not show it. */
  readonly more: number | null;
}

/**
 * Holds a check against what a plan wants before a column is released. The bounds hold at every look at once (Waudby-Smith and Ramdas
 * 2020), so one may look after each row; their prior expects about as much wrong as is allowed, which makes them narrow there.
 */
export function releaseFigures(
  { population, checked, wrong }: Pick<WrongFigures, "population" | "checked" | "wrong">,
  { wrongAtMost, sure }: { readonly wrongAtMost: number; readonly sure: number },
): ReleaseFigures {
  const mostWrong = Math.floor(wrongAtMost * population);
  const prior = [1, 1 / wrongAtMost] as const;
  const { high } = sequentialBounds(population, checked, wrong, sure, prior);
  const rows = rowsToShow(population, mostWrong, sure, prior, { sample: checked, found: wrong });
  return { mostWrong, high, isShown: checked > 0 && high <= mostWrong, more: rows === undefined ? null : rows - checked };
}

import { chiSquare, fisherExact, holm, type ChiSquare } from "../statistics/index.js";

/** How often each value stands in a column's answers of some time. */
export type ValueCounts = ReadonlyMap<string, number>;

/** A column of a day, held against its reference. */
export interface ColumnDrift {
  readonly column: string;
  /** Answers of the reference, and of the day. */
  readonly before: number;
  readonly now: number;
  readonly statistic: number;
  readonly freedom: number;
  readonly p: number;
  /** Corrected for the number of columns. */
  readonly adjusted: number;
  /** Beyond chance: so far that it would happen on one day in so many as the plan says. */
  readonly isMoved: boolean;
  /** The value whose share moved most, with its shares then and now. */
  readonly most?: { readonly value: string; readonly before: number; readonly now: number } | undefined;
}

/** A day with fewer answers, or a reference with fewer, is not judged. */
export const LEAST_OF_DAY = 20;
export const LEAST_OF_REFERENCE = 100;
/** The chi-square distribution holds where no cell is expected to hold fewer (Cochran 1954). */
const LEAST_EXPECTED = 5;

/**
 * Holds a day's answers against those of a reference time, column by column: Pearson's chi-square test (1900) of the same shares, rare
 * values taken together, Fisher's exact test (1935) where that leaves two; corrected after Holm (1979). Where the rows of a day are drawn
 * as those of the reference were, at most a share `alpha` of the days has a column that is called moved.
 *
 * @param alpha the share of days that may be called moved by chance.
 * @param grows columns of which only more of some value counts as moved, by that value.
 */
export function compareDays(
  columns: readonly {
    readonly column: string;
    readonly before: ValueCounts;
    readonly now: ValueCounts;
    readonly grows?: string | undefined;
  }[],
  alpha: number,
): ColumnDrift[] {
  const tested = columns
    .map(({ column, before, now, grows }) => ({ column, grows, before: sum(before), now: sum(now), pairs: pairsOf(before, now) }))
    .filter(({ before, now, pairs }) => before >= LEAST_OF_REFERENCE && now >= LEAST_OF_DAY && pairs.length > 1)
    .map((one) => ({ ...one, ...tests(one.pairs, one.before, one.now) }));
  const adjusted = holm(tested.map(({ p }) => p));
  return tested.map(({ column, grows, before, now, pairs, statistic, freedom, p }, index) => {
    const shares = pairs.map((one) => ({ value: one.value, before: one.before / before, now: one.now / now }));
    const most =
      grows === undefined ? shares.sort((a, b) => moved(b) - moved(a) || b.now - a.now)[0]! : shares.find(({ value }) => value === grows);
    const isMore = grows === undefined || (most !== undefined && most.now > most.before);
    return { column, before, now, statistic, freedom, p, adjusted: adjusted[index]!, isMoved: adjusted[index]! < alpha && isMore, most };
  });
}

const sum = (counts: ValueCounts): number => [...counts.values()].reduce((all, count) => all + count, 0);
const moved = ({ before, now }: { readonly before: number; readonly now: number }): number => Math.abs(now - before);

interface Pair {
  readonly value: string;
  readonly before: number;
  readonly now: number;
}

/** The values of both, the most frequent first. */
const pairsOf = (before: ValueCounts, now: ValueCounts): Pair[] =>
  [...new Set([...before.keys(), ...now.keys()])]
    .map((value) => ({ value, before: before.get(value) ?? 0, now: now.get(value) ?? 0 }))
    .sort((a, b) => b.before + b.now - a.before - a.now || (a.value < b.value ? -1 : 1));

/** The test of the same shares, the rare values as one. Where that leaves two of which one is rare, the exact test. */
function tests(pairs: readonly Pair[], ofBefore: number, ofNow: number): ChiSquare {
  const isRare = (pair: Pair): boolean => ((pair.before + pair.now) * Math.min(ofBefore, ofNow)) / (ofBefore + ofNow) < LEAST_EXPECTED;
  const common = pairs.filter((pair) => !isRare(pair));
  const rare = pairs.filter(isRare);
  const others = rare.reduce((one, pair) => ({ value: "", before: one.before + pair.before, now: one.now + pair.now }), {
    value: "",
    before: 0,
    now: 0,
  });
  const groups = rare.length === 0 ? common : [...common, others];
  if (groups.length === 2 && isRare(groups[1]!))
    return { statistic: 0, freedom: 1, p: fisherExact(groups[1]!.before, ofBefore, groups[1]!.now, ofNow) };
  if (rare.length > 0 && isRare(others) && groups.length > 2) {
    // Still too few: they go with the rarest of the common ones.
    const [last, rest] = [groups.at(-2)!, groups.slice(0, -2)];
    groups.splice(0, groups.length, ...rest, { value: "", before: last.before + others.before, now: last.now + others.now });
  }
  return chiSquare([groups.map(({ before }) => before), groups.map(({ now }) => now)]);
}

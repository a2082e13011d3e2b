/**
 * Exact McNemar test (McNemar 1947): the probability, if neither contestant were better, of a split of the discordant
 * rows at least as uneven as this one. Two-sided binomial with p = 1/2; 1 when there are no discordant rows.
 *
 * @param won rows that only the first contestant got right
 * @param lost rows that only the second got right
 * @example
 * ```ts
 * import { mcnemarExact } from "yoroshi/statistics";
 *
 * mcnemarExact(9, 2); // => 0.0654297
 * ```
 */
export function mcnemarExact(won: number, lost: number): number {
  if (won + lost === 0) return 1;
  return Math.min(1, 2 * lowerTail(won, lost).tail);
}

/**
 * McNemar's test with the mid-p value (Fagerland, Lydersen and Laake 2013): half the probability of the observed split
 * is taken off, which makes the exact test less cautious; also of an even split, so that only no discordant rows give 1.
 *
 * @example
 * ```ts
 * import { mcnemarMidP } from "yoroshi/statistics";
 *
 * mcnemarMidP(9, 2); // => 0.0385742
 * ```
 */
export function mcnemarMidP(won: number, lost: number): number {
  if (won + lost === 0) return 1;
  if (won === lost) return 1 - lowerTail(won, lost).last / 2;
  const { tail, last } = lowerTail(won, lost);
  return Math.min(1, 2 * tail - last);
}

/** P(X <= k) and P(X = k) of the binomial distribution with p = 1/2, k being the smaller count. */
function lowerTail(won: number, lost: number): { readonly tail: number; readonly last: number } {
  const n = won + lost;
  // Terms in logarithms, so that large counts do not underflow one by one.
  let logTerm = -n * Math.LN2;
  let tail = Math.exp(logTerm);
  for (let i = 1; i <= Math.min(won, lost); i++) {
    logTerm += Math.log((n - i + 1) / i);
    tail += Math.exp(logTerm);
  }
  return { tail, last: Math.exp(logTerm) };
}

/**
 * Exact McNemar test (McNemar 1947): the probability, if neither contestant were better, of a split of the discordant
 * rows at least as uneven as this one. Two-sided binomial with p = 1/2; 1 when there are no discordant rows.
 *
 * @param won rows that only the first contestant got right
 * @param lost rows that only the second got right
 */
export function mcnemarExact(won: number, lost: number): number {
  const n = won + lost;
  if (n === 0) return 1;
  const k = Math.min(won, lost);
  // Terms of the binomial distribution in logarithms, so that large counts do not underflow one by one.
  let logTerm = -n * Math.LN2;
  let tail = Math.exp(logTerm);
  for (let i = 1; i <= k; i++) {
    logTerm += Math.log((n - i + 1) / i);
    tail += Math.exp(logTerm);
  }
  return Math.min(1, 2 * tail);
}

import { distance } from "fastest-levenshtein";

/**
 * The known word closest to a mistyped one, or `undefined` where none is close enough to be worth suggesting
 * (edit distance above a third of the longer word, Levenshtein 1966).
 */
export function nearest(word: string, known: Iterable<string>): string | undefined {
  const lower = word.toLowerCase();
  let best: string | undefined;
  let bestDistance = Infinity;
  for (const candidate of known) {
    const gap = distance(lower, candidate.toLowerCase());
    if (gap < bestDistance && gap <= Math.ceil(Math.max(word.length, candidate.length) / 3)) {
      best = candidate;
      bestDistance = gap;
    }
  }
  return best;
}

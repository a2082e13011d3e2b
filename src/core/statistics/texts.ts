import { distance } from "fastest-levenshtein";

/** Words in lower case, without punctuation. */
export function wordsOf(text: string): string[] {
  return (
    text
      .normalize("NFKC")
      .toLowerCase()
      .match(/[\p{L}\p{N}]+/gu) ?? []
  );
}

/**
 * Whether two texts have the same words in the same order.
 *
 * @example
 * ```ts
 * import { sameWords } from "yoroshi/statistics";
 *
 * sameWords("The boat,  late!", "the boat late"); // => true
 * ```
 */
export function sameWords(a: string, b: string): boolean {
  const [one, two] = [wordsOf(a), wordsOf(b)];
  // Texts without any word (signs only) are compared as they are.
  if (one.length === 0 && two.length === 0) return a.trim() === b.trim();
  return one.length === two.length && one.every((word, index) => word === two[index]);
}

/**
 * ROUGE-N as F1 (Lin 2004): shared runs of n words, counted as often as they occur in both; two texts too short for such a run share none.
 * 1 for two texts without any word.
 *
 * @example
 * ```ts
 * import { rougeN } from "yoroshi/statistics";
 *
 * rougeN("the boat was late", "the boat is late", 1); // => 0.75
 * ```
 */
export function rougeN(truth: string, answer: string, n: 1 | 2): number {
  const words = [wordsOf(truth), wordsOf(answer)] as const;
  if (words[0].length === 0 && words[1].length === 0) return 1;
  const [wanted, given] = [grams(words[0], n), grams(words[1], n)];
  if (wanted.total === 0 && given.total === 0) return 0;
  let shared = 0;
  for (const [gram, count] of given.counts) shared += Math.min(count, wanted.counts.get(gram) ?? 0);
  return f1(shared, wanted.total, given.total);
}

/**
 * ROUGE-L as F1 (Lin 2004): the longest run of words that both have in the same order, gaps allowed.
 *
 * @example
 * ```ts
 * import { rougeL } from "yoroshi/statistics";
 *
 * rougeL("the boat was late", "the boat is late"); // => 0.75
 * ```
 */
export function rougeL(truth: string, answer: string): number {
  const [wanted, given] = [wordsOf(truth), wordsOf(answer)];
  return f1(longestCommon(wanted, given), wanted.length, given.length);
}

/**
 * 1 minus the edits (Levenshtein 1966) over the longer text's length in UTF-16 units; 1 for two empty texts.
 *
 * @example
 * ```ts
 * import { editSimilarity } from "yoroshi/statistics";
 *
 * editSimilarity("late", "later"); // => 0.8
 * ```
 */
export function editSimilarity(a: string, b: string): number {
  const longer = Math.max(a.length, b.length);
  return longer === 0 ? 1 : 1 - distance(a, b) / longer;
}

function f1(shared: number, wanted: number, given: number): number {
  return wanted + given === 0 ? 1 : (2 * shared) / (wanted + given);
}

function grams(words: readonly string[], n: number): { counts: Map<string, number>; total: number } {
  const counts = new Map<string, number>();
  const total = Math.max(0, words.length - n + 1);
  for (let i = 0; i < total; i++) {
    const gram = words.slice(i, i + n).join(" ");
    counts.set(gram, (counts.get(gram) ?? 0) + 1);
  }
  return { counts, total };
}

function longestCommon(a: readonly string[], b: readonly string[]): number {
  let row = new Uint32Array(b.length + 1);
  for (const word of a) {
    const next = new Uint32Array(b.length + 1);
    for (let j = 0; j < b.length; j++) next[j + 1] = word === b[j] ? row[j]! + 1 : Math.max(row[j + 1]!, next[j]!);
    row = next;
  }
  return row[b.length]!;
}

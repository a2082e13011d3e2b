import { canonicalJson, type Json } from "../ground/index.js";
import { editSimilarity } from "../statistics/index.js";

/** The items of one row with their numbers, and the number that the next new one gets; none is given twice. */
export interface Numbered {
  readonly next: number;
  readonly items: readonly { readonly number: number; readonly item: Json }[];
}

/** From here on two items count as the same in other words: 1 minus the edits over the longer one's length. */
const ALIKE = 0.6;

/**
 * Numbers the items of a row so that each keeps the number that it had: first those that are the same, then those that
 * are most alike, best pair first; all others get new numbers.
 */
export function numbered(before: Numbered, items: readonly Json[]): Numbered {
  const texts = items.map((item) => canonicalJson(item));
  const free = new Map(before.items.map(({ number, item }) => [number, canonicalJson(item)]));
  const numbers: (number | undefined)[] = texts.map((text) => {
    for (const [number, known] of free) {
      if (known !== text) continue;
      free.delete(number);
      return number;
    }
    return undefined;
  });
  const pairs = texts
    .flatMap((text, at) =>
      numbers[at] === undefined ? [...free].map(([number, known]) => ({ at, number, alike: editSimilarity(known, text) })) : [],
    )
    .filter(({ alike }) => alike >= ALIKE)
    .sort((a, b) => b.alike - a.alike);
  for (const { at, number } of pairs) {
    if (numbers[at] !== undefined || !free.has(number)) continue;
    numbers[at] = number;
    free.delete(number);
  }
  let { next } = before;
  return { items: items.map((item, at) => ({ number: numbers[at] ?? next++, item })), next };
}

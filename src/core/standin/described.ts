import type { ReadRequest } from "./read-request.js";
import { isIdle, settledIn } from "./tone.js";
import type { WordSense } from "./word-sense.js";
import { likeness, terms, type Term } from "./words.js";

/** How much a text speaks of what a description says, 0 to 1: its telling words count, each as well as some word of the text meets it. */
export function described(about: string, text: string, words: readonly Term[], { sense }: ReadRequest): number {
  // Each case that a description lists stands by itself: one of them is enough.
  const cases = about
    .split(/[:;,]| or /)
    .map((one) => terms(one))
    .filter((own) => own.length > 0);
  let best = 0;
  for (const own of cases) {
    let [hit, of] = [0, 0];
    for (const { stem, negated } of own) {
      const weight = sense ? sense.telling(stem) : 1;
      let near = 0;
      for (const word of words) {
        const like = likenessIn(word.stem, stem, sense);
        near = Math.max(near, word.negated === negated ? like : like * 0.3);
      }
      hit += near * weight;
      of += weight;
    }
    // A case that is half met may be about quite another thing of the same kind.
    best = Math.max(best, of === 0 ? 0 : (hit / of) ** 2 * Math.min(1, 0.55 + 0.2 * own.length));
  }
  const says = (cue: RegExp): boolean => cue.test(about);
  if (says(/\bquestion\b/i) && isIdle(text)) best = Math.max(best, 0.7);
  if (says(/\b(thanks|thank|settled|done|mended|over)\b/i) && settledIn(text) > 0) best = Math.max(best, 0.4 + 0.5 * settledIn(text));
  return best;
}

/** 1 for the same stem, less for words that mean something like it. */
export function likenessIn(a: string, b: string, sense: WordSense | undefined): number {
  const listed = likeness(a, b);
  if (listed > 0 || !sense) return listed;
  const alike = sense.alike(a, b);
  return alike === undefined || alike < ALIKE ? 0 : Math.min(0.75, (alike - ALIKE) * ALIKE_SLOPE + 0.12);
}

/** Below this, words have little to do with each other. */
const ALIKE = 0.44;
const ALIKE_SLOPE = 1.4;

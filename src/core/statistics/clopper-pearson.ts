import { incompleteBeta } from "./special.js";
import type { Interval } from "./wilson.js";

const LEVEL = 0.95;
const STEPS = 100;

/**
 * Exact interval for a proportion (Clopper and Pearson 1934): never narrower than it says, whatever the share; so wider than
 * Wilson's. [0, 1] for no trials.
 *
 * @param level how sure it is. Default 0.95.
 * @example
 * ```ts
 * import { clopperPearson } from "yoroshi/statistics";
 *
 * clopperPearson(8, 10).low; // => 0.443905
 * ```
 */
export function clopperPearson(right: number, total: number, level: number = LEVEL): Interval {
  const tail = (1 - level) / 2;
  return {
    low: right === 0 ? 0 : betaQuantile(tail, right, total - right + 1),
    high: right >= total ? 1 : betaQuantile(1 - tail, right + 1, total - right),
  };
}

/** By halving: the distribution grows with x. */
function betaQuantile(share: number, a: number, b: number): number {
  let [low, high] = [0, 1];
  for (let step = 0; step < STEPS; step++) {
    const middle = (low + high) / 2;
    if (incompleteBeta(middle, a, b) < share) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}

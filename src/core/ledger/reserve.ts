import type { Micros } from "../ground/index.js";
import type { Reservation } from "./ledger.js";

/** The share of what is left beyond the need that one holder may take ahead, so that it need not come back for each request. */
const SHARE_AHEAD = 0.1;

/**
 * What a reservation is granted, where so much is taken already: what it needs, and up to what it wants while plenty is left.
 * `undefined` where there is no room for what it needs.
 */
export function grantOf({ needs, wants, cap }: Reservation, taken: Micros): Micros | undefined {
  const free = cap - taken;
  if (needs > free) return undefined;
  return Math.max(needs, Math.min(wants, needs + Math.floor((free - needs) * SHARE_AHEAD)));
}

import type { Clock } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import { readyAfterRules, type Plan } from "../plan/index.js";

const noteName = (plan: string): string => `rules:${plan}`;

/** When each rule of a plan was first seen, milliseconds since 1970. */
export async function ruleTimes({
  ledger,
  plan,
}: {
  readonly ledger: Ledger;
  readonly plan: Plan;
}): Promise<Readonly<Record<string, number>>> {
  return ((await ledger.facts.get(noteName(plan.name))) ?? {}) as Readonly<Record<string, number>>;
}

/**
 * Notes which rules a plan has, before it is filled: what is recorded from now on are causes for them, what was recorded before is not. A
 * rule that is gone is forgotten, so that it begins anew when it comes back.
 */
export async function noteRules({
  ledger,
  plan,
  clock,
}: {
  readonly ledger: Ledger;
  readonly plan: Plan;
  readonly clock: Clock;
}): Promise<void> {
  const known = await ruleTimes({ ledger, plan });
  const ids = readyAfterRules(plan).map(({ id }) => id);
  if (ids.length === Object.keys(known).length && ids.every((id) => id in known)) return;
  const now = clock.now();
  await ledger.facts.set(noteName(plan.name), Object.fromEntries(ids.map((id) => [id, known[id] ?? now])));
}

import { textMessage, type CancelSignal, type Clock, type Micros } from "../ground/index.js";
import { dayOf, holderName, type Charge, type Ledger } from "../ledger/index.js";
import { BudgetSpent, checkedUsage, ModelFailure, type Model } from "../model/index.js";
import { Budget, budgeted } from "./budget.js";
import { leavable } from "./layers.js";
import { SharedCap } from "./shared-cap.js";

const PROBE = { messages: [textMessage("user", "Answer with one word: ready")], maxTokens: 8 };

/** What a probe rests on: where its charge goes, and the caps that it keeps. */
export interface ProbeSetup {
  readonly ledger: Ledger;
  readonly clock: Clock;
  readonly spendCap?: Micros | undefined;
  readonly monthlyCap?: Micros | undefined;
}

/**
 * Asks a model for a word, once, without trying again.
 *
 * @returns nothing where it answered; `noRoom` where a cap leaves no room even for that; else how it failed.
 */
export async function probe(
  { ledger, clock, spendCap, monthlyCap }: ProbeSetup,
  model: Model,
  signal: CancelSignal | undefined,
): Promise<ModelFailure | "noRoom" | undefined> {
  const holder = holderName(clock);
  const shared = monthlyCap === undefined ? undefined : new SharedCap(ledger, clock, holder, monthlyCap);
  const charges: Charge[] = [];
  const asked = budgeted(
    new Budget(spendCap, shared ? [shared] : []),
    ({ usage, ...charged }) => void charges.push({ run: "probe", day: dayOf(clock.now()), ...charged, ...usage }),
  )(checkedUsage()(leavable(model)));
  try {
    await asked.ask(PROBE, signal);
    return undefined;
  } catch (error) {
    if (error instanceof BudgetSpent) return "noRoom";
    if (error instanceof ModelFailure) return error;
    throw error;
  } finally {
    if (charges.length > 0) await ledger.record({ charges, holder });
    await shared?.release();
  }
}

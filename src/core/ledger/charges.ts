/** What asking a model cost in one run on one day, by step; at the prices of that day, whatever they are later. */
export interface Charge {
  readonly run: string;
  /** The plan's step; empty for a trial, a try, or what no step can be named for. */
  readonly step: string;
  readonly model: string;
  /** Days since 1970-01-01 UTC. */
  readonly day: number;
  readonly requests: number;
  readonly tokensIn: number;
  readonly tokensOut: number;
  /** In millionths, as are all amounts. */
  readonly spent: number;
  /** What may have been charged for requests that broke off. */
  readonly unsure: number;
}

const DAY_MS = 86_400_000;

export const dayOf = (at: number): number => Math.floor(at / DAY_MS);

/** The first day of a moment's month (UTC). */
export function monthStart(at: number): number {
  const date = new Date(at);
  return dayOf(Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), 1));
}

/** Adds a charge to what the same run, step, model and day were charged before. */
export function addCharge(
  charges: Map<string, Charge>,
  { run, step, model, day, requests, tokensIn, tokensOut, spent, unsure }: Charge,
): void {
  const id = `${run}\n${step}\n${model}\n${day}`;
  const sum = charges.get(id) as { -readonly [Figure in keyof Charge]: Charge[Figure] } | undefined;
  if (!sum) return void charges.set(id, { run, step, model, day, requests, tokensIn, tokensOut, spent, unsure });
  sum.requests += requests;
  sum.tokensIn += tokensIn;
  sum.tokensOut += tokensOut;
  sum.spent += spent;
  sum.unsure += unsure;
}

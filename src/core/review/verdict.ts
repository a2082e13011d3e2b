import { canonicalJson, plainJson, quickHash } from "../ground/index.js";
import type { DecisionRecord } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";

/** The mark of a judged answer's value in a column: another answer to the row, or another value, has another one. */
export const judgedMark = (fingerprint: string, column: string, value: CellValue | undefined): string =>
  quickHash(canonicalJson(plainJson([fingerprint, column, value ?? null])));

/** What people say of one judged value. */
export type Verdict =
  /** As many as must agree do: the newest of the decisions that say so. */
  | { readonly is: "decided"; readonly by: readonly string[]; readonly decision: DecisionRecord }
  /** Others must still say the same. */
  | { readonly is: "open"; readonly said: readonly DecisionRecord[] }
  /** Enough have spoken, and they do not agree. */
  | { readonly is: "disputed"; readonly said: readonly DecisionRecord[] };

/** What a decision would make of the cell. */
const outcomeOf = ({ how, given, value }: DecisionRecord): string =>
  canonicalJson(plainJson(how === "accept" ? ["value", value ?? null] : how === "edit" ? ["value", given ?? null] : [how, given ?? null]));

/**
 * What the decisions about one judged value come to. Of each person the newest counts; one that was taken back does not.
 *
 * @param decisions about the cell, oldest first.
 * @param people how many must say the same.
 */
export function verdictOf(decisions: readonly DecisionRecord[], judged: string, people: number): Verdict {
  const newest = new Map<string, DecisionRecord>();
  for (const decision of decisions) {
    if (decision.judged !== judged || decision.undone || !CLOSING.includes(decision.how)) continue;
    newest.delete(decision.by);
    newest.set(decision.by, decision);
  }
  const said = [...newest.values()];
  for (const decision of [...said].reverse()) {
    const outcome = outcomeOf(decision);
    const same = said.filter((one) => outcomeOf(one) === outcome);
    if (same.length >= people) return { is: "decided", by: same.map(({ by }) => by), decision };
  }
  return { is: said.length >= people ? "disputed" : "open", said };
}

/** What ends the waiting of a value. */
const CLOSING: readonly DecisionRecord["how"][] = ["accept", "edit", "reject"];

/** Decisions about other answers to the row, or other values: what was decided earlier. Newest first. */
export const earlierDecisions = (decisions: readonly DecisionRecord[], judged: string): DecisionRecord[] =>
  decisions.filter((one) => one.judged !== judged && !one.undone && CLOSING.includes(one.how)).reverse();

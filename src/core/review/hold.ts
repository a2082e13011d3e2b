import { readTest, type Json, type Test } from "../ground/index.js";
import { columnsOf, isTemplateStep, writerOf, type Plan } from "../plan/index.js";

/** A rule that holds values back, ready to be tried on the answers of one step. */
export interface ReadyHold {
  readonly name: string;
  /** The columns of the step that it holds. */
  readonly columns: readonly string[];
  readonly test: Test;
}

/** What a rule is held against. */
export interface JudgedRow {
  /** The row as conditions see it, with what the answer gives. */
  readonly row: Readonly<Record<string, unknown>>;
  readonly parts: Readonly<Record<string, Json>>;
  readonly confidence: number | undefined;
  /** The codes of what is to be known of the answer. */
  readonly notes: readonly string[];
}

/** Rules by what they hold: rule -> columns. */
export type HeldBy = Readonly<Record<string, readonly string[]>>;

/**
 * The rules of a plan that are tried on what a step gives: those that name its columns; else those that read a column that it fills, the
 * last such step where there are several; else, where a rule reads nothing that is filled, every step that asks. A rule that names parts of
 * the answer is tried only where the answer has them.
 *
 * @param order the plan's steps, each after those that it needs.
 * @param parts the parts that the step's template asks for.
 */
export function readyHolds(plan: Plan, step: string, order: readonly string[], parts: readonly string[]): ReadyHold[] {
  const own = plan.steps[step]!;
  if (!isTemplateStep(own)) return [];
  return Object.entries(plan.review?.hold ?? {}).flatMap(([name, rule]) => {
    const test = readTest(rule.when, ["row", "answer"]).test!;
    const filled = columnsOf(own);
    const columns = rule.columns === undefined ? filled : filled.filter((column) => rule.columns!.includes(column));
    const writers = [...test.membersOf("row"), ...(rule.columns ?? [])].flatMap((column) => writerOf(plan, column) ?? []);
    const asking = writers.filter((writer) => isTemplateStep(plan.steps[writer]!));
    const last = order.findLast((one) => asking.includes(one));
    const isMine =
      test.membersOf("answer", "parts").every((part) => parts.includes(part)) &&
      (rule.columns ? columns.length > 0 : last === undefined || last === step);
    return isMine ? [{ name, columns, test }] : [];
  });
}

/** Which rules hold an answer. One that cannot be evaluated holds it, too: nobody knows that it may pass. */
export function heldBy(holds: readonly ReadyHold[], { row, parts, confidence, notes }: JudgedRow): HeldBy {
  if (holds.length === 0) return {};
  const answer = { parts, notes, ...(confidence === undefined ? {} : { confidence }) };
  return Object.fromEntries(
    holds.filter(({ test }) => test.test({ row, answer }) !== false).map(({ name, columns }) => [name, columns] as const),
  );
}

/** Whether values wait for a random check alone, so that no person goes through them one by one. */
export const isForCheck = (by: HeldBy): boolean => Object.keys(by).every((rule) => rule === "release");

/** Every column that some rule holds. */
export const heldColumns = (by: HeldBy): string[] => [...new Set(Object.values(by).flat())];

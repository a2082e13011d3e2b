import { readExpression } from "../ground/index.js";

/** A CEL condition over `row`, ready to be tested on many rows. */
export interface Condition {
  /** The columns that it names. */
  readonly columns: readonly string[];
  /** Whether it holds; a reason instead where it cannot be evaluated for this row (never the row's content). */
  test(row: Readonly<Record<string, unknown>>): boolean | { readonly reason: string };
}

/** Reads a condition. `problem` says in one line why it is not valid CEL over `row`. */
export function readCondition(source: string): { condition?: Condition; problem?: string } {
  const { expression, problem } = readExpression(source, "row");
  if (!expression) return { problem: problem! };
  return {
    condition: {
      columns: expression.members,
      test: (row) => {
        const result = expression.test(row);
        return typeof result === "boolean" ? result : { reason: `the condition ${result.reason}` };
      },
    },
  };
}

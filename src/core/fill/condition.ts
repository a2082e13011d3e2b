import { Environment } from "@marcbachmann/cel-js";

/** A CEL condition over `row`, ready to be tested on many rows. */
export interface Condition {
  /** The columns that it names. */
  readonly columns: readonly string[];
  /** Whether it holds; a reason instead where it cannot be evaluated for this row (never the row's content). */
  test(row: Readonly<Record<string, unknown>>): boolean | { readonly reason: string };
}

const LIMITS = { maxAstNodes: 2_000, maxDepth: 60, maxListElements: 500, maxMapEntries: 500, maxCallArguments: 32 };
const environment = new Environment({ limits: LIMITS }).registerVariable("row", "map");

/** Reads a condition. `problem` says in one line why it is not valid CEL over `row`. */
export function readCondition(source: string): { condition?: Condition; problem?: string } {
  try {
    const check = environment.check(source);
    if (!check.valid) return { problem: firstLine(check.error?.message ?? "it is not valid") };
    if (check.type !== undefined && !["bool", "dyn"].includes(String(check.type))) return { problem: `its result is ${String(check.type)}, not true or false` };
    const evaluate = environment.parse(source);
    const columns = new Set<string>();
    collectColumns(evaluate.ast as unknown as AstNode, columns);
    return {
      condition: {
        columns: [...columns],
        test: (row) => {
          try {
            const result: unknown = evaluate({ row });
            return typeof result === "boolean" ? result : { reason: "the condition gave neither true nor false" };
          } catch (error) {
            return { reason: `the condition cannot be evaluated: ${firstLine((error as Error).message)}` };
          }
        },
      },
    };
  } catch (error) {
    return { problem: firstLine((error as Error).message) };
  }
}

function firstLine(message: string): string {
  return message.split("\n")[0]!.trim();
}

interface AstNode {
  readonly op: string;
  readonly args: unknown;
}

/** Finds `row.name` and `row["name"]`. */
function collectColumns(node: unknown, into: Set<string>): void {
  if (Array.isArray(node)) {
    for (const item of node) collectColumns(item, into);
    return;
  }
  if (node === null || typeof node !== "object" || !("op" in node)) return;
  const { op, args } = node as AstNode;
  if ((op === "." || op === "[]") && Array.isArray(args)) {
    const [target, member] = args as [AstNode, unknown];
    const name = typeof member === "string" ? member : (member as AstNode | undefined)?.op === "value" ? (member as AstNode).args : undefined;
    if (target?.op === "id" && target.args === "row" && typeof name === "string") into.add(name);
  }
  collectColumns(args, into);
}

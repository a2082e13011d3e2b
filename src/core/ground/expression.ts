import { Environment } from "@marcbachmann/cel-js";
import { isPattern } from "./words.js";

/** A CEL expression over one variable, ready to be evaluated many times. */
export interface Formula {
  /** The members of the variable that it names. */
  readonly members: readonly string[];
  /** What it gives; a reason instead where it cannot be evaluated (never the value's content). */
  evaluate(value: Readonly<Record<string, unknown>>): { readonly value: unknown } | { readonly reason: string };
}

/** One that gives true or false. */
export interface Expression {
  readonly members: readonly string[];
  /** Whether it holds; a reason instead where it cannot be evaluated (never the value's content). */
  test(value: Readonly<Record<string, unknown>>): boolean | { readonly reason: string };
}

const LIMITS = { maxAstNodes: 2_000, maxDepth: 60, maxListElements: 500, maxMapEntries: 500, maxCallArguments: 32 };
const environments = new Map<string, Environment>();

function environmentOf(variable: string): Environment {
  let environment = environments.get(variable);
  if (!environment) environments.set(variable, (environment = new Environment({ limits: LIMITS }).registerVariable(variable, "map")));
  return environment;
}

/**
 * Reads CEL (the Common Expression Language) over one variable, such as `row.report != ""` over `row`. `problem` says in
 * one line why it is not valid.
 */
export function readExpression(source: string, variable: string): { expression?: Expression; problem?: string } {
  const { formula, type, problem } = readFormula(source, variable);
  if (!formula) return { problem: problem! };
  if (type !== undefined && !["bool", "dyn"].includes(type)) return { problem: `its result is ${type}, not true or false` };
  return {
    expression: {
      members: formula.members,
      test: (value) => {
        const result = formula.evaluate(value);
        if ("reason" in result) return result;
        return typeof result.value === "boolean" ? result.value : { reason: "gives neither true nor false" };
      },
    },
  };
}

/** Reads CEL that may give anything: a text, a number, true or false. `type` is what it gives, where that is known beforehand. */
export function readFormula(source: string, variable: string): { formula?: Formula; type?: string; problem?: string } {
  const environment = environmentOf(variable);
  try {
    const check = environment.check(source);
    if (!check.valid) return { problem: firstLine(check.error?.message ?? "it is not valid") };
    const evaluate = environment.parse(source);
    const pattern = badPattern(evaluate.ast);
    if (pattern !== undefined) return { problem: `\`${pattern}\` in matches() is not a regular expression that is known here (flags such as (?i) are not; write [Aa] instead)` };
    const members = new Set<string>();
    collectMembers(evaluate.ast, variable, members);
    return {
      ...(check.type === undefined ? {} : { type: String(check.type) }),
      formula: {
        members: [...members],
        evaluate: (value) => {
          try {
            return { value: evaluate({ [variable]: value }) as unknown };
          } catch (error) {
            return { reason: `cannot be evaluated: ${firstLine((error as Error).message)}` };
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

/** The first pattern in a `matches` that no row could be held against. */
function badPattern(node: unknown): string | undefined {
  if (Array.isArray(node)) return node.map(badPattern).find((found) => found !== undefined);
  if (node === null || typeof node !== "object" || !("op" in node)) return undefined;
  const { op, args } = node as AstNode;
  if ((op === "call" || op === "rcall") && Array.isArray(args) && args[0] === "matches") {
    const pattern = ((args.at(-1) as AstNode[]).at(-1) as AstNode | undefined) ?? { op: "", args: undefined };
    if (pattern.op === "value" && typeof pattern.args === "string" && !isPattern(pattern.args)) return pattern.args;
  }
  return badPattern(args);
}

/** Finds `row.name` and `row["name"]`. */
function collectMembers(node: unknown, variable: string, into: Set<string>): void {
  if (Array.isArray(node)) {
    for (const item of node) collectMembers(item, variable, into);
    return;
  }
  if (node === null || typeof node !== "object" || !("op" in node)) return;
  const { op, args } = node as AstNode;
  if ((op === "." || op === "[]") && Array.isArray(args)) {
    const [target, member] = args as [AstNode, unknown];
    const name = typeof member === "string" ? member : (member as AstNode | undefined)?.op === "value" ? (member as AstNode).args : undefined;
    if (target?.op === "id" && target.args === variable && typeof name === "string") into.add(name);
  }
  collectMembers(args, variable, into);
}

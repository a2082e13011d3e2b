import { Environment } from "@marcbachmann/cel-js";
import { pattern, patternProblem } from "./pattern.js";

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

function environmentOf(variables: readonly string[]): Environment {
  const name = variables.join();
  let environment = environments.get(name);
  if (!environment) {
    environment = new Environment({ limits: LIMITS });
    for (const variable of variables) environment.registerVariable(variable, "map");
    environment.registerFunction(`string.${LINEAR}(string): bool`, (text: string, source: string) => {
      const problem = patternProblem(source);
      if (problem !== undefined) throw new Error(`\`${source}\` cannot be used as a pattern: ${problem}`);
      return pattern(source).test(text);
    });
    environments.set(name, environment);
  }
  return environment;
}

/** Stands for `matches`, which the library answers by an engine that may take for ever; as long, so that places stay. */
const LINEAR = "matchRE";

/** The source with `matches` answered in linear time; what stands in quotes stays. */
function inLinearTime(source: string): string {
  return source.replace(
    /([rR]?(?:"""[\s\S]*?"""|'''[\s\S]*?'''))|([rR](?:"[^"]*"|'[^']*'))|("(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*')|\.(\s*)matches(?=\s*\()/g,
    (_whole, ...found: (string | undefined)[]) => found[0] ?? found[1] ?? found[2] ?? `.${found[3] ?? ""}${LINEAR}`,
  );
}

/** Steps beyond which an expression is not evaluated for a row: about two seconds. */
const MOST_STEPS = 2e7;

/** How deep loops (`exists`, `all`, `map` …) stand inside each other. */
function loopDepth(node: unknown): number {
  if (Array.isArray(node)) return Math.max(0, ...node.map(loopDepth));
  if (node === null || typeof node !== "object" || !("op" in node)) return 0;
  const { op, args } = node as AstNode;
  const isLoop = op === "comprehension" || (op === "rcall" && Array.isArray(args) && LOOPS.has(String(args[0])));
  return loopDepth(args) + (isLoop ? 1 : 0);
}

const LOOPS: ReadonlySet<string> = new Set(["all", "exists", "exists_one", "map", "filter"]);

/** The longest list in a value; texts count as such where an expression takes them apart. */
function longest(value: unknown, withTexts: boolean): number {
  if (typeof value === "string") return withTexts ? value.length + 1 : 1;
  if (Array.isArray(value)) return Math.max(value.length, 1, ...value.map((item) => longest(item, withTexts)));
  return value !== null && typeof value === "object" ? Math.max(1, ...Object.values(value).map((item) => longest(item, withTexts))) : 1;
}

/**
 * Reads CEL (the Common Expression Language) over one variable, such as `row.report != ""` over `row`. `problem` says in
 * one line why it is not valid.
 */
export function readExpression(source: string, variable: string): { expression?: Expression; problem?: string } {
  const { test, problem } = readTest(source, [variable]);
  if (!test) return { problem: problem! };
  return { expression: { members: test.membersOf(variable), test: (value) => test.test({ [variable]: value }) } };
}

/** A CEL expression over several variables that gives true or false. */
export interface Test {
  /** The members that it names of a variable, or below one: `severity` of `answer`, `parts` in `answer.parts.severity`. */
  membersOf(variable: string, ...path: readonly string[]): readonly string[];
  test(values: Variables): boolean | { readonly reason: string };
}

type Variables = Readonly<Record<string, Readonly<Record<string, unknown>>>>;

/** Reads CEL over several variables, such as `row.severity >= 4 && answer.confidence < 0.7` over `row` and `answer`. */
export function readTest(source: string, variables: readonly string[]): { test?: Test; problem?: string } {
  const { formula, type, problem } = readOver(source, variables);
  if (!formula) return { problem: problem! };
  if (type !== undefined && !["bool", "dyn"].includes(type)) return { problem: `its result is ${type}, not true or false` };
  return {
    test: {
      membersOf: (...path) => formula.membersOf(path),
      test: (values) => {
        const result = formula.evaluate(values);
        if ("reason" in result) return result;
        return typeof result.value === "boolean" ? result.value : { reason: "gives neither true nor false" };
      },
    },
  };
}

/** Reads CEL that may give anything: a text, a number, true or false. `type` is what it gives, where that is known beforehand. */
export function readFormula(source: string, variable: string): { formula?: Formula; type?: string; problem?: string } {
  const { formula, ...read } = readOver(source, [variable]);
  if (!formula) return read;
  return { ...read, formula: { members: formula.membersOf([variable]), evaluate: (value) => formula.evaluate({ [variable]: value }) } };
}

/** Reads CEL that may give anything, over several variables. */
export const readFormulaOver = (source: string, variables: readonly string[]): { formula?: FormulaOver; type?: string; problem?: string } =>
  readOver(source, variables);

/** A formula over several variables. */
export interface FormulaOver {
  membersOf(path: readonly string[]): readonly string[];
  evaluate(values: Variables): ReturnType<Formula["evaluate"]>;
}

function readOver(source: string, variables: readonly string[]): { formula?: FormulaOver; type?: string; problem?: string } {
  const environment = environmentOf(variables);
  try {
    const linear = inLinearTime(source);
    const check = environment.check(linear);
    if (!check.valid) return { problem: firstLine(check.error?.message ?? "it is not valid") };
    const evaluate = environment.parse(linear);
    const bad = badPattern(evaluate.ast);
    if (bad !== undefined) return { problem: bad };
    const depth = loopDepth(evaluate.ast);
    const takesApart = /\bsplit\s*\(/.test(source);
    return {
      ...(check.type === undefined ? {} : { type: String(check.type) }),
      formula: {
        membersOf: (path) => [...new Set(namedPaths(evaluate.ast).flatMap((named) => memberBelow(named, path)))],
        evaluate: (values) => {
          if (
            depth > 1 &&
            Math.max(...Object.values(values).map((value) => longest(value, takesApart))) ** depth * source.length > MOST_STEPS
          )
            return { reason: `would take too many steps for this row: its loops stand ${depth} deep, over long lists` };
          try {
            return { value: evaluate(values) as unknown };
          } catch (error) {
            const problem = firstLine((error as Error).message);
            return {
              reason: /^no such overload: .*string.* (int|double)/.test(problem)
                ? "takes text for a number; write double(row.…)"
                : `cannot be evaluated: ${problem}`,
            };
          }
        },
      },
    };
  } catch (error) {
    return { problem: firstLine((error as Error).message) };
  }
}

function firstLine(message: string): string {
  return message.split("\n")[0]!.trim().replaceAll(LINEAR, "matches");
}

interface AstNode {
  readonly op: string;
  readonly args: unknown;
}

/** What is wrong with the first pattern in a `matches` that no row could be held against. */
function badPattern(node: unknown): string | undefined {
  if (Array.isArray(node)) return node.map(badPattern).find((found) => found !== undefined);
  if (node === null || typeof node !== "object" || !("op" in node)) return undefined;
  const { op, args } = node as AstNode;
  if ((op === "call" || op === "rcall") && Array.isArray(args) && args[0] === LINEAR) {
    const given = ((args.at(-1) as AstNode[]).at(-1) as AstNode | undefined) ?? { op: "", args: undefined };
    // One that a column gives is known row by row.
    const problem = patternProblem(given.op === "value" && typeof given.args === "string" ? given.args : "");
    if (problem !== undefined) return `\`${String(given.args)}\` in matches() cannot be used: ${problem}`;
  }
  return badPattern(args);
}

/** Every path that it names from a variable on, such as `row.name`, `row["name"]` and `answer.parts.name`. */
function namedPaths(node: unknown): string[][] {
  if (Array.isArray(node)) return node.flatMap(namedPaths);
  if (node === null || typeof node !== "object" || !("op" in node)) return [];
  const path = pathOf(node as AstNode);
  const inner = namedPaths((node as AstNode).args);
  return path ? [path, ...inner] : inner;
}

function pathOf({ op, args }: AstNode): string[] | undefined {
  if (op === "id") return [String(args)];
  if ((op !== "." && op !== "[]") || !Array.isArray(args)) return undefined;
  const [target, member] = args as [AstNode, unknown];
  const name = typeof member === "string" ? member : (member as AstNode | undefined)?.op === "value" ? (member as AstNode).args : undefined;
  const before = typeof name === "string" ? pathOf(target) : undefined;
  return before && [...before, name as string];
}

const memberBelow = (named: readonly string[], path: readonly string[]): string[] =>
  named.length > path.length && path.every((name, index) => name === named[index]) ? [named[path.length]!] : [];

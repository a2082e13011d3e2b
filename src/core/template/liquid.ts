import { Liquid, Output, analyzeSync, toValueSync, type Template as Node } from "liquidjs";
import { YoroshiError } from "../ground/index.js";
import { fence } from "./fence.js";

/** The tags that a task may use. Tags that read files, print unfenced text or keep state between renders are left out. */
const TAGS = new Set(["if", "unless", "case", "for", "break", "continue", "assign", "comment", "raw", "#"]);

const engine = new Liquid({
  cache: false,
  ownPropertyOnly: true,
  strictFilters: true,
  jsTruthy: false,
  parseLimit: 1_000_000,
  renderLimit: 2_000,
  memoryLimit: 50_000_000,
});
for (const tag of Object.keys(engine.tags)) if (!TAGS.has(tag)) delete engine.tags[tag];

/** A variable that a text uses from outside, and where: line and column count from 1. */
export interface Use {
  readonly name: string;
  readonly line: number;
  readonly column: number;
}

/** A text with placeholders, parsed once and rendered for every row. */
export interface ParsedText {
  readonly uses: readonly Use[];
  /** Outside names whose values the text prints, themselves or through a loop or an assignment. */
  readonly printed: ReadonlySet<string>;
  /** @param mark the letters of the fences; see `fenceMark`. */
  render(scope: Record<string, unknown>, mark: string): string;
}

export interface TextProblem {
  readonly problem: string;
  readonly line: number;
  readonly column: number;
}

/**
 * Parses Liquid text. Whatever it prints is fenced off as data, named after the variable it came from, except what
 * comes from a name in `trusted`, which is the analyst's own.
 */
export function parseText(source: string, trusted: ReadonlySet<string> = new Set()): { text?: ParsedText; problem?: TextProblem } {
  let nodes: Node[];
  try {
    nodes = engine.parse(source);
  } catch (error) {
    return { problem: readProblem(error as Error) };
  }
  const { globals } = analyzeSync(nodes, { partials: false });
  const uses = Object.values(globals).flatMap((variables) =>
    variables.map(({ segments, location }) => ({ name: String(segments[0]), line: location.row, column: location.col })),
  );
  const printed = new Set<string>();
  fenceOutputs(nodes, new Set(trusted), new Map(), printed);
  return { text: { uses, printed, render: (scope, mark) => withMark(mark, () => renderText(nodes, scope)) } };
}

/** Parses Liquid text over a template's inputs, for what no model reads: searches, addresses. What it prints stands as it is. */
export function parseErrand(source: string): {
  uses?: readonly string[];
  render?: (scope: Record<string, unknown>) => string;
  problem?: string;
} {
  try {
    const nodes = engine.parse(source);
    return { uses: Object.keys(analyzeSync(nodes, { partials: false }).globals), render: (scope) => renderText(nodes, scope) };
  } catch (error) {
    return { problem: readProblem(error as Error).problem };
  }
}

/**
 * Parses Liquid text over one variable for a plain column: what it prints stands as it is, since no model reads it.
 * `members` are those of the variable that it names.
 */
export function parsePlainText(
  source: string,
  variable: string,
): { text?: { readonly members: readonly string[]; render(value: unknown): string }; problem?: string } {
  let nodes: Node[];
  try {
    nodes = engine.parse(source);
  } catch (error) {
    return { problem: readProblem(error as Error).problem };
  }
  const { globals } = analyzeSync(nodes, { partials: false });
  const stray = Object.keys(globals).find((name) => name !== variable);
  if (stray !== undefined) return { problem: `there is no \`${stray}\` here; columns are written \`${variable}.${stray}\`` };
  const members = new Set((globals[variable] ?? []).flatMap(({ segments }) => (typeof segments[1] === "string" ? [segments[1]] : [])));
  return { text: { members: [...members], render: (value) => renderText(nodes, { [variable]: value }) } };
}

/** @throws YoroshiError `misuse` where the text itself is at fault: it loops beyond the limits, or a filter cannot take a value. */
function renderText(nodes: Node[], scope: Record<string, unknown>): string {
  try {
    return engine.renderSync(nodes, scope) as string;
  } catch (error) {
    throw new YoroshiError("misuse", { problem: `The template's text cannot be rendered: ${readProblem(error as Error).problem}.` });
  }
}

/** The letters of the text that is being rendered; rendering never waits, so one text is rendered at a time. */
let currentMark = "";

function withMark(mark: string, render: () => string): string {
  currentMark = mark;
  try {
    return render();
  } finally {
    currentMark = "";
  }
}

interface Named {
  variable?: string;
  key?: string;
}

/** `origins` tells for a loop's or an assignment's own name which outside names it stands for. */
function fenceOutputs(nodes: readonly Node[], trusted: Set<string>, origins: Map<string, readonly string[]>, printed: Set<string>): void {
  for (const node of nodes) {
    const roots = rootsOf(node);
    const outside = roots.flatMap((root) => origins.get(root) ?? [root]);
    const own = roots.every((root) => trusted.has(root) || root === "forloop");
    if (node instanceof Output) {
      for (const name of outside) printed.add(name);
      const label = own ? undefined : labelOf(node);
      if (label !== undefined) (node.value.filters as unknown[]).push(fenceFilter(label));
      continue;
    }
    // A loop's or an assignment's own name is trusted exactly when what it comes from is.
    const local = (node as Named).variable ?? (node as Named).key;
    if (typeof local === "string") {
      if (own) trusted.add(local);
      else trusted.delete(local);
      origins.set(local, outside);
    }
    const children = node.children ? (toValueSync(node.children(false, true)) as Node[]) : [];
    if (children.length > 0) fenceOutputs(children, trusted, origins, printed);
  }
}

/** The outermost names that a node itself reads, children left out. */
function rootsOf(node: Node): string[] {
  const alone = { token: node.token, render: node.render, ...(node.arguments ? { arguments: () => node.arguments!() } : {}) };
  return Object.values(analyzeSync([alone as Node], { partials: false }).variables).flatMap((variables) =>
    variables.map((v) => String(v.segments[0])),
  );
}

function labelOf(node: Output): string {
  const [variables] = Object.values(analyzeSync([node], { partials: false }).variables);
  return variables?.[0]?.segments.filter((segment) => typeof segment === "string").join(".") ?? "value";
}

/** Stands at the end of an output's filters, in the form that the engine's own filters have. */
function fenceFilter(label: string): { raw: boolean; render(value: unknown): IterableIterator<unknown> } {
  return {
    raw: false,
    // eslint-disable-next-line require-yield
    *render(value: unknown) {
      return fence(label, value, currentMark);
    },
  };
}

function readProblem(error: Error): TextProblem {
  const at = /, line:(\d+)(?:, col:(\d+))?/.exec(error.message);
  const first = error.message
    .split("\n")[0]!
    .replace(/,? ?line:\d+(, col:\d+)?/, "")
    .replace(/,? ?file:\S+/, "");
  const tag = /^tag "([^"]*)" not found/.exec(first);
  const filter = /^undefined filter: (.*)$/.exec(first);
  if (filter) return { problem: `there is no filter \`${filter[1]}\``, line: Number(at?.[1] ?? 1), column: Number(at?.[2] ?? 1) };
  const problem = tag ? `there is no tag \`${tag[1]}\` here; known tags: ${[...TAGS].filter((name) => name !== "#").join(", ")}` : first;
  return { problem, line: Number(at?.[1] ?? 1), column: Number(at?.[2] ?? 1) };
}

import type { Json } from "../ground/index.js";
import type { ModelRequest } from "../model/index.js";

/** One part of the answer that a prompt asks for, as its words tell it. */
export interface AskedPart {
  readonly name: string;
  readonly about: string;
  readonly kind: "choice" | "score" | "yesNo" | "date" | "number" | "list" | "text";
  readonly options: readonly { readonly name: string; readonly about: string }[];
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  readonly scale: readonly { readonly point: number; readonly about: string }[];
  readonly maxChars?: number | undefined;
  readonly maxWords?: number | undefined;
  readonly atLeast?: number | undefined;
  readonly atMost?: number | undefined;
}

export interface ReadRequest {
  /** The analyst's own words: role and task, without fenced data. */
  readonly instruction: string;
  /** All fenced data of the row. */
  readonly data: string;
  readonly parts: readonly AskedPart[];
  readonly examples: readonly { readonly data: string; readonly answer: Readonly<Record<string, Json>> }[];
}

const ASKS = /^Answer with one JSON object.*$/m;
const FENCED = /<data name="[^"]*">\n?([\s\S]*?)\n?<\/data>/g;

/** Reads a prompt as a model would have to: what is asked, of what, in which form, with which examples. */
export function readRequest(request: ModelRequest): ReadRequest {
  const { messages } = request;
  const last = messages.findLastIndex((message) => message.role === "user" && ASKS.test(message.content) && !message.content.startsWith("That answer cannot be used"));
  const question = messages[last]?.content ?? messages.findLast((message) => message.role === "user")?.content ?? "";
  const at = question.search(ASKS);
  const task = at < 0 ? question : question.slice(0, at);
  const system = messages.filter((message) => message.role === "system").map((message) => message.content.replace(/Text between <data[^\n]*/, ""));
  const parts = at < 0 ? [] : readParts(question.slice(at));
  return {
    instruction: [...system, task.replace(FENCED, " ")].join("\n"),
    data: dataOf(task),
    parts: parts.length > 0 ? parts : partsOfSchema(request.schema),
    examples: readExamples(messages.slice(0, Math.max(0, last))),
  };
}

function dataOf(text: string): string {
  return [...text.matchAll(FENCED)].map((match) => match[1] ?? "").join("\n\n");
}

function readExamples(turns: ModelRequest["messages"]): ReadRequest["examples"] {
  return turns.flatMap((turn, index) => {
    const reply = turns[index + 1];
    if (turn.role !== "user" || reply?.role !== "assistant") return [];
    try {
      return [{ data: dataOf(turn.content), answer: JSON.parse(reply.content) as Record<string, Json> }];
    } catch {
      return [];
    }
  });
}

function readParts(text: string): AskedPart[] {
  const parts: AskedPart[] = [];
  let lines: string[] = [];
  const close = (): void => {
    if (lines.length > 0) parts.push(readPart(lines));
    lines = [];
  };
  for (const line of text.split("\n").slice(1)) {
    if (line.startsWith('- "')) {
      close();
      lines = [line];
    } else if (lines.length > 0 && /^ {2}- /.test(line)) lines.push(line);
  }
  close();
  return parts;
}

function readPart([head = "", ...below]: string[]): AskedPart {
  const [, name = "", said = ""] = /^- "([^"]+)": ?(.*)$/.exec(head) ?? [];
  const kind = kindOf(said);
  const range = /from (-?[\d.]+) to (-?[\d.]+)/.exec(said);
  const size = /list of (?:exactly (\d+)|(\d+) to (\d+)|at most (\d+)|at least (\d+))/.exec(said);
  const options = kind === "choice" ? below.flatMap((line) => {
    const match = /^ {2}- ("(?:[^"\\]|\\.)*")(?:: (.*))?$/.exec(line);
    return match ? [{ name: JSON.parse(match[1]!) as string, about: match[2] ?? "" }] : [];
  }) : [];
  const scale = kind === "score" ? below.flatMap((line) => {
    const match = /^ {2}- (-?\d+) = (.*)$/.exec(line);
    return match ? [{ point: Number(match[1]), about: match[2]! }] : [];
  }) : [];
  const count = (index: number): number | undefined => (size?.[index] === undefined ? undefined : Number(size[index]));
  return {
    name,
    about: said,
    kind,
    options,
    scale,
    from: range ? Number(range[1]) : undefined,
    to: range ? Number(range[2]) : undefined,
    maxChars: numberIn(said, /(\d+) characters/),
    maxWords: numberIn(said, /(\d+) words/),
    atLeast: count(1) ?? count(2) ?? count(5),
    atMost: count(1) ?? count(3) ?? count(4),
  };
}

/** The kind's own words open the line, or close it where options or points follow below. */
function kindOf(said: string): AskedPart["kind"] {
  const lower = said.toLowerCase();
  if (lower.endsWith("exactly one of these options, written as here:")) return "choice";
  if (/(^|\. )a whole number from -?\d+ to -?\d+(, where$|\.|$)/.test(lower)) return "score";
  if (lower.startsWith("a list of")) return "list";
  if (lower.startsWith("true (yes) or false (no)")) return "yesNo";
  if (lower.startsWith("a day, written")) return "date";
  return /^a (whole )?number/.test(lower) ? "number" : "text";
}

function numberIn(text: string, pattern: RegExp): number | undefined {
  const match = pattern.exec(text);
  return match ? Number(match[1]) : undefined;
}

interface SchemaNode {
  readonly type?: string;
  readonly enum?: readonly string[];
  readonly minimum?: number;
  readonly maximum?: number;
  readonly maxLength?: number;
  readonly format?: string;
  readonly description?: string;
}

/** The parts of a prompt that says nothing of its answer but sends a JSON Schema. */
function partsOfSchema(schema: ModelRequest["schema"]): AskedPart[] {
  const properties = (schema?.["properties"] ?? {}) as Record<string, SchemaNode>;
  return Object.entries(properties).map(([name, node]) => ({
    name,
    about: node.description ?? name,
    kind: node.enum ? "choice" : node.type === "boolean" ? "yesNo" : node.type === "integer" ? "score" : node.type === "number" ? "number" : node.type === "array" ? "list" : node.format === "date" ? "date" : "text",
    options: (node.enum ?? []).map((option) => ({ name: option, about: "" })),
    scale: [],
    from: node.minimum,
    to: node.maximum,
    maxChars: node.maxLength,
  }));
}

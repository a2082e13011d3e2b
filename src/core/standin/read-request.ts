import { messageText, textMessage, type Json, type Message } from "../ground/index.js";
import { kindNames, kindOf as kindByName } from "../kinds/index.js";
import type { ModelRequest } from "../model/index.js";
import type { WordSense } from "./word-sense.js";

/** One part of the answer that a prompt asks for, as its words tell it. */
export interface AskedPart {
  readonly name: string;
  readonly about: string;
  readonly kind: "choice" | "choices" | "score" | "yesNo" | "date" | "number" | "list" | "record" | "money" | "found" | "text";
  readonly options: readonly { readonly name: string; readonly about: string }[];
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  readonly step?: number | undefined;
  readonly scale: readonly { readonly point: number; readonly about: string }[];
  readonly maxChars?: number | undefined;
  readonly maxWords?: number | undefined;
  readonly maxSentences?: number | undefined;
  readonly atLeast?: number | undefined;
  readonly atMost?: number | undefined;
  /** Whether a date has its time, and whether words such as "tomorrow" may stand for it. */
  readonly time?: boolean | undefined;
  readonly inWords?: boolean | undefined;
  /** The codes of currencies that may be named. */
  readonly currencies?: readonly string[] | undefined;
  /** Finds its values in a text, where the kind says how. */
  readonly find?: ((text: string) => readonly Json[]) | undefined;
  /** What each item of a list is. */
  readonly item?: AskedPart | undefined;
  /** The parts of a record. */
  readonly members?: readonly AskedPart[] | undefined;
}

export interface ReadRequest {
  /** The analyst's own words: role and task, without fenced data. */
  readonly instruction: string;
  /** All fenced data of the row, and each piece by its name. */
  readonly data: string;
  readonly named: Readonly<Record<string, string>>;
  /** The same with the marks of pages and of what was found. */
  readonly marked: Readonly<Record<string, string>>;
  readonly parts: readonly AskedPart[];
  /** How far chance sways what is chosen: none at temperature 0. */
  readonly noise: { readonly strength: number; readonly seed: number };
  /** Words that the prompt's rules forbid, and words that they want. */
  readonly forbidden: readonly string[];
  readonly wanted: readonly string[];
  /** What words mean to each other, where that is known. */
  readonly sense?: WordSense | undefined;
  readonly examples: readonly { readonly data: string; readonly answer: Readonly<Record<string, Json>> }[];
}

const ASKS = /^Answer with one JSON object.*$/m;
const FENCED = /<data-([a-z]+) name="[^"]*">\n?([\s\S]*?)\n?<\/data-\1>/g;

/** A turn as its words. */
interface Turn {
  readonly role: Message["role"];
  readonly text: string;
}

const turnsOf = ({ messages }: Pick<ModelRequest, "messages">): Turn[] =>
  messages.map((message) => ({ role: message.role, text: messageText(message) }));

/** Reads a prompt as a model would have to: what is asked, of what, in which form, with which examples. */
export function readRequest(request: ModelRequest, sense?: WordSense): ReadRequest {
  const messages = turnsOf(request);
  const last = messages.findLastIndex(
    (message) => message.role === "user" && ASKS.test(message.text) && !message.text.startsWith("That answer cannot be used"),
  );
  // Points to check come after the answer that they are about; they speak as the task does.
  const checks = messages
    .slice(last + 1)
    .filter((message) => message.role === "user" && message.text.startsWith("Check your answer"))
    .map((message) => message.text);
  const question = messages[last]?.text ?? messages.findLast((message) => message.role === "user")?.text ?? "";
  const at = question.search(ASKS);
  const task = at < 0 ? question : question.slice(0, at);
  const system = messages
    .filter((message) => message.role === "system")
    .map((message) => message.text.replace(/Text between <data-[^\n]*/, ""));
  const parts = at < 0 ? [] : readParts(question.slice(at));
  const fenced = [...task.matchAll(FENCED)].map((match) => [/name="([^"]*)"/.exec(match[0])?.[1] ?? "", match[2] ?? ""] as const);
  return {
    instruction: [...system, task.replace(FENCED, " "), ...checks].join("\n"),
    noise: noiseOf(request),
    sense,
    data: dataOf(task),
    named: Object.fromEntries(fenced.map(([name, text]) => [name, withoutMarks(text)])),
    marked: Object.fromEntries(fenced),
    forbidden: quotedAfter(question, /^Rule: Never use (.*)$/gm),
    wanted: quotedAfter(question, /^Rule: Use (.*)$/gm),
    parts: parts.length > 0 ? parts : partsOfSchema(request.schema),
    examples: readExamples(messages.slice(0, Math.max(0, last))),
  };
}

const ROWS_FOLLOW = /^The rows, each under its mark:$/m;
const ROW = /^Row (\S+)$/gm;

/** A prompt about several rows as one prompt for each, in the order in which they stand; `undefined` where it is about one. */
export function readRows(request: ModelRequest): { readonly mark: string; readonly request: ModelRequest }[] | undefined {
  const all = turnsOf(request);
  const last = all.at(-1);
  const at = last?.text.search(ASKS) ?? -1;
  if (!last || last.role !== "user" || at < 0 || !ROWS_FOLLOW.test(last.text)) return undefined;
  const answer = last.text
    .slice(at)
    .split("\n")
    .filter((line) => !line.startsWith('- "row": '))
    .join("\n");
  // Examples are a turn of the same form.
  const turns = all
    .slice(0, -1)
    .flatMap(({ role, text }, index) =>
      role === "user" ? exampleTurns(text, all[index + 1]?.text ?? "") : role === "system" ? [textMessage(role, text)] : [],
    );
  return rowsOf(last.text.slice(0, at)).map(({ mark, content }) => ({
    mark,
    request: { ...request, schema: undefined, messages: [...turns, textMessage("user", `${content}\n\n${answer}`)] },
  }));
}

function rowsOf(text: string): { mark: string; content: string }[] {
  const from = text.search(ROWS_FOLLOW);
  const words = text.slice(0, from);
  // What a row holds is fenced: a line in it that looks like a mark is none.
  const fences = [...text.matchAll(FENCED)].map((match) => [match.index, match.index + match[0].length] as const);
  const marks = [...text.matchAll(ROW)].filter(({ index }) => index > from && !fences.some(([start, end]) => index > start && index < end));
  return marks.map((match, index) => ({
    mark: match[1]!,
    content: `${words}${text.slice(match.index + match[0].length, marks[index + 1]?.index ?? text.length)}`,
  }));
}

function exampleTurns(turn: string, reply: string): ModelRequest["messages"] {
  const { answers } = JSON.parse(reply) as { answers: readonly { row: string }[] };
  return rowsOf(turn).flatMap(({ mark, content }) => {
    const { row: _, ...answer } = answers.find(({ row }) => row === mark) ?? { row: "" };
    return [textMessage("user", content), textMessage("assistant", JSON.stringify(answer))];
  });
}

/** At a temperature the same question with another seed may be answered otherwise; with the same seed it is not. */
function noiseOf({ temperature = 0, seed = 0, messages }: ModelRequest): ReadRequest["noise"] {
  let hash = seed;
  if (temperature > 0) for (const char of turnsOf({ messages }).at(-1)?.text ?? "") hash = (Math.imul(hash, 31) + char.charCodeAt(0)) | 0;
  return { strength: temperature, seed: hash };
}

/** The quoted words of rules; names of parts after `in` are left out. */
function quotedAfter(question: string, rule: RegExp): string[] {
  return [...question.matchAll(rule)].flatMap((match) => [...match[1]!.split(' in "')[0]!.matchAll(/"([^"]+)"/g)].map((word) => word[1]!));
}

/** Marks of pages and attachments stand on lines of their own, and are no words of theirs. */
const withoutMarks = (text: string): string => text.replace(/^\[[^\]\n]{1,200}\]$/gm, "\n");

function dataOf(text: string): string {
  return [...text.matchAll(FENCED)].map((match) => withoutMarks(match[2] ?? "")).join("\n\n");
}

function readExamples(turns: readonly Turn[]): ReadRequest["examples"] {
  return turns.flatMap((turn, index) => {
    const reply = turns[index + 1];
    if (turn.role !== "user" || reply?.role !== "assistant") return [];
    try {
      return [{ data: dataOf(turn.text), answer: JSON.parse(reply.text) as Record<string, Json> }];
    } catch {
      return [];
    }
  });
}

/** A line of the prompt with the lines that stand indented below it. */
interface Line {
  readonly text: string;
  readonly below: Line[];
}

function readParts(text: string): AskedPart[] {
  return linesOf(text.split("\n").slice(1)).flatMap(readNamed);
}

function linesOf(lines: readonly string[]): Line[] {
  const root: Line = { text: "", below: [] };
  const open: Line[] = [root];
  for (const line of lines) {
    const indented = /^( *)- (.*)$/.exec(line);
    if (!indented) continue;
    const depth = indented[1]!.length / 2;
    const here: Line = { text: indented[2]!, below: [] };
    (open[Math.min(depth, open.length - 1)] ?? root).below.push(here);
    open.length = Math.min(depth, open.length - 1) + 1;
    open.push(here);
  }
  return root.below;
}

function readNamed({ text, below }: Line): AskedPart[] {
  const [, name, said] = /^"([^"]+)": ?(.*)$/.exec(text) ?? [];
  return name === undefined ? [] : [readPart(name, said ?? "", below)];
}

function readPart(name: string, stated: string, below: readonly Line[]): AskedPart {
  const said = stated.replace(/; null if the text does not say/, "").replace(/null if the text does not say, else /i, "");
  const find = finderOf(said);
  const kind = find ? "found" : kindOf(said);
  const range = /from (-?[\d.]+) to (-?[\d.]+?)(?: in steps of ([\d.]+?))?(?:[.,;]?(?:\s|$))/.exec(said);
  const size = /list of (?:exactly (\d+)|(\d+) to (\d+)|at most (\d+)|at least (\d+))/i.exec(said);
  const count = (index: number): number | undefined => (size?.[index] === undefined ? undefined : Number(size[index]));
  const each = kind === "list" ? /,? each item (.*)$/.exec(said)?.[1] : undefined;
  return {
    name,
    about: said,
    kind,
    options: kind === "choice" || kind === "choices" ? below.flatMap(readOption) : [],
    scale: kind === "score" ? below.flatMap(readPoint) : [],
    from: range ? Number(range[1]) : undefined,
    to: range ? Number(range[2]) : undefined,
    step: range?.[3] === undefined ? undefined : Number(range[3]),
    find,
    maxChars: numberIn(said, /(\d+) characters/),
    maxWords: numberIn(said, /(\d+) words/),
    maxSentences: numberIn(said, /(\d+) sentences?/),
    inWords: /those words instead/.test(said),
    currencies: / one of ([A-Z, ]+)/
      .exec(said)?.[1]
      ?.split(/, ?/)
      .map((code) => code.trim()),
    atLeast: count(1) ?? count(2) ?? count(5),
    atMost: count(1) ?? count(3) ?? count(4),
    time: /YYYY-MM-DDTHH:MM/.test(said),
    item: each === undefined ? undefined : readPart(name, each, below),
    members: kind === "record" ? below.flatMap(readNamed) : undefined,
  };
}

function readOption({ text }: Line): { name: string; about: string }[] {
  const match = /^("(?:[^"\\]|\\.)*")(?:: (.*))?$/.exec(text);
  return match ? [{ name: JSON.parse(match[1]!) as string, about: match[2] ?? "" }] : [];
}

function readPoint({ text }: Line): { point: number; about: string }[] {
  const match = /^(-?[\d.]+) = (.*)$/.exec(text);
  return match ? [{ point: Number(match[1]), about: match[2]! }] : [];
}

/** How values are found of a kind that says so; its own words open the line. */
function finderOf(said: string): AskedPart["find"] {
  const name = kindNames.find((known) => kindByName(known).find && said.startsWith(kindByName(known).tell({ kind: known }, kindByName)));
  return name === undefined ? undefined : (text) => kindByName(name).find!({ kind: name }, text);
}

/** The kind's own words open the line, or close it where options, points or members follow below. */
function kindOf(said: string): AskedPart["kind"] {
  const lower = said.toLowerCase();
  if (lower.endsWith("each at most once, written as here:")) return "choices";
  if (/(^|\. )a list of [^.]*each item /.test(lower)) return "list";
  if (lower.endsWith("exactly one of these options, written as here:")) return "choice";
  if (lower.endsWith("an object with these members:")) return "record";
  if (lower.startsWith('an object with "amount"')) return "money";
  if (
    /(^|\. )a (whole )?number from -?[\d.]+ to -?[\d.]+( in steps of [\d.]+)?, where$/.test(lower) ||
    /^a (whole )?number from -?[\d.]+ to -?[\d.]+( in steps of [\d.]+)?($|\.)/.test(lower)
  )
    return "score";
  if (/^true \(.*\) or false \(/.test(lower)) return "yesNo";
  if (lower.startsWith("a day, written") || lower.startsWith("a day and time, written")) return "date";
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
    kind: node.enum
      ? "choice"
      : node.type === "boolean"
        ? "yesNo"
        : node.type === "integer"
          ? "score"
          : node.type === "number"
            ? "number"
            : node.type === "array"
              ? "list"
              : node.format === "date"
                ? "date"
                : "text",
    options: (node.enum ?? []).map((option) => ({ name: option, about: "" })),
    scale: [],
    from: node.minimum,
    to: node.maximum,
    maxChars: node.maxLength,
  }));
}

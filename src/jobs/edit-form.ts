import { isMap, isScalar, isSeq, parseDocument, stringify, type Document, type Node, type Pair, type Scalar, type YAMLMap } from "yaml";
import { YoroshiError } from "../core/index.js";

type Key = string | number;
type Form = unknown;

/** A piece of the text, and what comes in its place. */
interface Splice {
  readonly from: number;
  readonly to: number;
  readonly text: string;
}

/** Also in the order of their entries. */
const same = (a: Form, b: Form): boolean => JSON.stringify(a) === JSON.stringify(b);

const WIDTH = { lineWidth: 120 } as const;

/**
 * The text of a YAML file that says what a form says. What is the same in both keeps every character, comments and order included; an entry
 * that changed is written anew at its place.
 *
 * @throws YoroshiError `badOption` where the text is no map, or the form cannot be written.
 */
export function withForm(text: string, form: Readonly<Record<string, Form>>, file: string): string {
  const document = parseDocument(text);
  if (document.errors.length > 0 || !isMap(document.contents))
    throw new YoroshiError("badOption", {
      option: file,
      problem: "it cannot be read as YAML, so that a form cannot change it. Mend its text first.",
    });
  const spliced = applied(text, splices(text, document.contents as YAMLMap, document.toJS() as object, form));
  if (spliced !== undefined && says(spliced, form)) return spliced;
  // Aliases, merged keys, entries in another order: comments stay, spacing may not.
  const whole = rewritten(document, form);
  if (says(whole, form)) return whole;
  throw new YoroshiError("badOption", { option: file, problem: "what the form says cannot be written into it. Change it as text." });
}

const says = (text: string, form: Form): boolean => {
  const read = parseDocument(text);
  return read.errors.length === 0 && same(read.toJS(), form);
};

function applied(text: string, all: readonly Splice[] | undefined): string | undefined {
  if (!all) return undefined;
  let result = text;
  // From the end on; of those at one place the last first.
  for (const { from, to, text: own } of [...all].reverse().sort((a, b) => b.from - a.from))
    result = result.slice(0, from) + own + result.slice(to);
  return result;
}

const isPlainMap = (value: Form): value is Record<string, Form> => typeof value === "object" && value !== null && !Array.isArray(value);

/** Whether one map is the other with changes; otherwise it is another one. */
const shareEntries = (before: Form, value: Form): boolean =>
  isPlainMap(before) && isPlainMap(value) && Object.keys(value).some((key) => key in before);

/** What has to change in a map; `undefined` where it cannot be done piece by piece. */
function splices(text: string, map: YAMLMap, now: Form, wanted: Form): Splice[] | undefined {
  const before = now as Record<string, Form>;
  const form = wanted as Record<string, Form>;
  const kept = Object.keys(form).filter((key) => key in before);
  const order = Object.keys(before).filter((key) => key in form);
  if (!same(kept, order)) return undefined;
  const pairs = new Map(map.items.map((pair) => [String((pair.key as Scalar).value), pair]));
  if (pairs.size !== Object.keys(before).length || map.items.some(({ key }) => !isScalar(key))) return undefined;
  const all: Splice[] = [];
  let last: Pair | undefined;
  for (const [key, value] of Object.entries(form)) {
    const pair = pairs.get(key);
    if (!pair) {
      const added = addition(text, map, last, key, value);
      if (!added) return undefined;
      all.push(added);
      continue;
    }
    const changed = same(before[key], value) ? [] : pairSplices(text, map, pair, before[key], value);
    if (!changed) return undefined;
    all.push(...changed);
    last = pair;
  }
  for (const [key, pair] of pairs) {
    if (key in form) continue;
    const gone = removal(text, map, pair);
    if (!gone) return undefined;
    all.push(gone);
  }
  return all;
}

function pairSplices(text: string, map: YAMLMap, pair: Pair, before: Form, value: Form): Splice[] | undefined {
  const node = pair.value as Node | null;
  if (isMap(node) && shareEntries(before, value)) return splices(text, node, before, value);
  if (isSeq(node) && Array.isArray(before) && Array.isArray(value) && before.length === value.length) {
    const all: Splice[] = [];
    for (const [index, item] of node.items.entries()) {
      if (same(before[index], value[index])) continue;
      const [own, was, now] = [item as Node, before[index] as Form, value[index] as Form];
      const found =
        isMap(own) && shareEntries(was, now)
          ? splices(text, own, was, now)
          : isPlainScalar(own) && !isCollection(now)
            ? [{ from: own.range![0], to: own.range![1], text: inFlow(now) }]
            : undefined;
      if (!found) return undefined;
      all.push(...found);
    }
    return all;
  }
  const [from] = (pair.key as Scalar).range!;
  const to = endOf(text, pair);
  if (map.flow) return node?.range ? [{ from: node.range[0], to, text: inFlow(value) }] : undefined;
  if (isPlainScalar(node) && !isCollection(value) && !isLong(value))
    return [{ from: node.range![0], to: node.range![1], text: inBlock(value) }];
  const isFlow = (isMap(node) || isSeq(node)) && node.flow === true;
  return [{ from, to, text: entry(text, from, keyOf(pair), value, isFlow) }];
}

const isCollection = (value: Form): boolean => typeof value === "object" && value !== null;
const isLong = (value: Form): boolean => typeof value === "string" && (value.includes("\n") || value.length > 100);
/** A scalar that stands on its line, not as a block below it. */
const isPlainScalar = (node: Node | null): node is Scalar =>
  isScalar(node) && !!node.range && !((node as Scalar).type ?? "").startsWith("BLOCK");
const keyOf = ({ key }: Pair): string => String(isScalar(key) ? key.value : key);

/** A value as it stands between brackets or braces. */
const inFlow = (value: Form): string =>
  stringify([value], { ...WIDTH, lineWidth: 0, collectionStyle: "flow" })
    .trim()
    .slice(1, -1)
    .trim();
const inBlock = (value: Form): string => stringify(value, { lineWidth: 0 }).trimEnd();

/** An entry of a block map, in the indentation of the place where it stands. */
function entry(text: string, at: number, key: string, value: Form, isFlow = false): string {
  const indent = " ".repeat(at - (text.lastIndexOf("\n", at - 1) + 1));
  const [named] = stringify({ [key]: 0 }).split(":");
  const whole = isFlow && isCollection(value) ? `${named}: ${inFlow(value)}` : stringify({ [key]: value }, WIDTH).trimEnd();
  return whole
    .split("\n")
    .map((line, index) => (index === 0 || line === "" ? line : indent + line))
    .join("\n");
}

/** Where an entry's value ends, without the line ends and comments behind it. */
function endOf(text: string, pair: Pair): number {
  const node = pair.value as Node | null;
  const to = lastOf(node) ?? (pair.key as Scalar).range![1];
  let end = to;
  while (end > 0 && /\s/.test(text[end - 1]!)) end--;
  // An entry without a value ends with its colon.
  return node === null || (isScalar(node) && node.value === null && end <= (pair.key as Scalar).range![1])
    ? Math.max(end, text.indexOf(":", (pair.key as Scalar).range![1]) + 1)
    : end;
}

function lastOf(node: Node | null): number | undefined {
  if (isMap(node) && !node.flow) {
    const last = node.items.at(-1);
    return last ? (lastOf(last.value as Node | null) ?? (last.key as Scalar).range?.[1]) : node.range?.[1];
  }
  if (isSeq(node) && !node.flow) return lastOf(node.items.at(-1) as Node) ?? node.range?.[1];
  return node?.range?.[1];
}

/** A new entry behind the one before it; at the beginning where there is none. */
function addition(text: string, map: YAMLMap, before: Pair | undefined, key: string, value: Form): Splice | undefined {
  const first = map.items[0];
  if (!first) return undefined;
  const start = (first.key as Scalar).range![0];
  if (map.flow) {
    const own = `${inFlow(key)}: ${inFlow(value)}`;
    if (!before) return { from: start, to: start, text: `${own}, ` };
    const end = endOf(text, before);
    return { from: end, to: end, text: `, ${own}` };
  }
  const indent = " ".repeat(start - (text.lastIndexOf("\n", start - 1) + 1));
  if (indent.trim() !== "" || text.slice(text.lastIndexOf("\n", start - 1) + 1, start).trim() !== "") return undefined;
  const own = entry(text, start, key, value);
  if (!before) return { from: start, to: start, text: `${own}\n${indent}` };
  const end = endOf(text, before);
  const lineEnd = text.indexOf("\n", end);
  const at = lineEnd < 0 ? text.length : lineEnd;
  return { from: at, to: at, text: `\n${indent}${own}` };
}

function removal(text: string, map: YAMLMap, pair: Pair): Splice | undefined {
  const [from] = (pair.key as Scalar).range!;
  const end = endOf(text, pair);
  if (map.items.length === 1) return undefined;
  if (map.flow) {
    const index = map.items.indexOf(pair);
    const next = map.items[index + 1];
    if (next) return { from, to: (next.key as Scalar).range![0], text: "" };
    return { from: endOf(text, map.items[index - 1]!), to: end, text: "" };
  }
  const lineStart = text.lastIndexOf("\n", from - 1) + 1;
  if (text.slice(lineStart, from).trim() !== "") return undefined;
  const lineEnd = text.indexOf("\n", end);
  return { from: lineStart, to: lineEnd < 0 ? text.length : lineEnd + 1, text: "" };
}

/** The whole document with its entries set one by one, so that comments stay with theirs. */
function rewritten(document: Document, form: Readonly<Record<string, Form>>): string {
  put(document, [], document.toJS() as Form, form);
  return document.toString(WIDTH);
}

function put(document: Document, path: readonly Key[], before: Form, value: Form): void {
  if (same(before, value)) return;
  const node = path.length === 0 ? document.contents : document.getIn(path, true);
  if (!isPlainMap(before) || !isPlainMap(value) || !isMap(node)) return document.setIn(path, document.createNode(value));
  // A key may be a number there; in a form it is text.
  const there = new Map(node.items.map((pair) => [keyOf(pair), (pair.key as Scalar).value as Key]));
  for (const key of Object.keys(before)) if (!(key in value)) document.deleteIn([...path, there.get(key) ?? key]);
  for (const [key, own] of Object.entries(value)) put(document, [...path, there.get(key) ?? key], before[key], own);
  const order = Object.keys(value);
  const place = (pair: unknown): number => order.indexOf(keyOf(pair as Pair));
  node.items.sort((a, b) => place(a) - place(b));
}

import { isMap, isScalar, parseDocument, stringify, type Scalar, type YAMLMap } from "yaml";
import { YoroshiError } from "../core/index.js";

/** The text of a YAML file with one value in another's place; every other character stays as it is. */
export function withValue(text: string, path: readonly (string | number)[], value: string, file: string): string {
  const node = parseDocument(text).getIn(path, true);
  if (!isScalar(node) || !(node as Scalar).range)
    throw new YoroshiError("badOption", {
      option: file,
      problem: `\`${path.join(".")}\` stands not in it as one word, so that it cannot be changed here. Change it in an editor.`,
    });
  const [from, to] = (node as Scalar).range!;
  return `${text.slice(0, from)}${stringify(value).trimEnd()}${text.slice(to)}`;
}

/** The text of a plan with one more step behind the others, in their indentation; nothing else is touched. */
export function withStep(text: string, name: string, step: object, file: string): string {
  const steps = parseDocument(text).get("steps", true);
  if (!isMap(steps) || steps.flow === true || steps.items.length === 0)
    throw new YoroshiError("badOption", {
      option: file,
      problem: "its steps are not written one below the other, so that none can be added here. Add it in an editor.",
    });
  return behindLast(text, steps as YAMLMap, { [name]: step });
}

/** The text with an entry behind the last one of a map that is written one below the other. */
function behindLast(text: string, map: YAMLMap, entry: object): string {
  const last = map.items.at(-1)!;
  const start = (last.key as Scalar).range![0];
  const indent = start - (text.lastIndexOf("\n", start - 1) + 1);
  // Behind the last line of the last entry, its comment included.
  const end = text.slice(0, endOf(last.value as YAMLMap | Scalar | null, start)).trimEnd().length;
  const lineEnd = text.indexOf("\n", end);
  const at = lineEnd < 0 ? text.length : lineEnd;
  return `${text.slice(0, at)}\n${indented(entry, indent)}${text.slice(at)}`;
}

const indented = (entry: object, indent: number): string =>
  stringify(entry, { lineWidth: 120 })
    .trimEnd()
    .split("\n")
    .map((line) => `${" ".repeat(indent)}${line}`)
    .join("\n");

/** Where a value ends, without the blank lines and comments that belong to what follows. */
function endOf(node: YAMLMap | Scalar | null, fallback: number): number {
  if (!node?.range) return fallback;
  if (!isMap(node) || node.flow === true) return node.range[1];
  const last = node.items.at(-1);
  return last ? endOf(last.value as YAMLMap | Scalar | null, (last.key as Scalar).range![1]) : node.range[1];
}

/** The text of a file with an entry of a map at its top, such as `models`; the map is added where there is none. */
export function withEntry(text: string, map: string, name: string, entry: object, file: string): string {
  const document = parseDocument(text);
  const found = document.get(map, true);
  if (found === undefined || found === null || (isScalar(found) && found.value === null)) {
    if (document.has(map))
      throw new YoroshiError("badOption", { option: file, problem: `\`${map}\` is there and blank. Take it out, and try again.` });
    return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${map}:\n${indented({ [name]: entry }, 2)}\n`;
  }
  if (!isMap(found) || found.flow === true)
    throw new YoroshiError("badOption", {
      option: file,
      problem: `\`${map}\` is not written as names one below the other, so that nothing can be added here. Add this in an editor: ${name}: ${JSON.stringify(entry)}.`,
    });
  if (found.has(name))
    throw new YoroshiError("badOption", { option: name, problem: `${file} has this name under \`${map}\` already. Choose another.` });
  return behindLast(text, found as YAMLMap, { [name]: entry });
}

/** The text with another value of a key at its top, or without it; everything else stays as it is. */
export function withTopValue(text: string, key: string, value: object | undefined): string {
  const { contents } = parseDocument(text);
  const pair = isMap(contents) ? contents.items.find((one) => isScalar(one.key) && one.key.value === key) : undefined;
  const line =
    value === undefined
      ? ""
      : `${key}: ${JSON.stringify(value)
          .replaceAll(/"(\w+)":/g, " $1: ")
          .replaceAll("}", " }")
          .replaceAll('"', "")}\n`;
  if (!pair) return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${line}`;
  const start = (pair.key as Scalar).range![0];
  const end = text.slice(0, endOf(pair.value as YAMLMap | Scalar | null, start)).trimEnd().length;
  const lineEnd = text.indexOf("\n", end);
  return `${text.slice(0, start)}${line}${lineEnd < 0 ? "" : text.slice(lineEnd + 1)}`;
}

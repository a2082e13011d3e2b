import { LineCounter, isMap, isScalar, isSeq, parseDocument, type Document, type Node } from "yaml";
import { complain, type Complaint, type Place } from "./complaint.js";
import type { Path, SourceDocument } from "./document.js";
import { inQuotes, yamlAdvice } from "./yaml-advice.js";

/** Reads YAML 1.2 with positions. All syntax errors come back as complaints; then there is no document. */
export function readDocument(text: string, file: string): { document?: SourceDocument; complaints: Complaint[] } {
  const lines = new LineCounter();
  const doc = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: true, version: "1.2" });
  const placeOf = (offset: number): Place => {
    const { line, col } = lines.linePos(offset);
    return { file, line: Math.max(1, line), column: Math.max(1, col) };
  };
  const textLines = text.split("\n");
  const syntax: Complaint[] = [];
  for (const error of doc.errors) {
    const place = placeOf(error.pos[0]);
    const last = syntax.at(-1)?.place;
    // What follows from a mistake at the same place is no further one.
    if (last?.line === place.line && last.column === place.column) continue;
    const problem = firstSentence(error.message);
    syntax.push(complain("syntax", place, { problem: `${problem}${yamlAdvice(problem, textLines[place.line - 1] ?? "")}` }));
  }
  // `when: !row.done` has a tag, and no value.
  syntax.push(
    ...doc.warnings
      .filter(({ code }) => code === "TAG_RESOLVE_FAILED")
      .map((warning) => {
        const place = placeOf(warning.pos[0]);
        const rest = (textLines[place.line - 1] ?? "").slice(place.column - 1).trim();
        return complain("tagged", place, { text: rest, quoted: inQuotes(rest) });
      }),
  );
  if (syntax.length > 0) return { complaints: syntax };
  let value: unknown;
  try {
    value = doc.toJS({ maxAliasCount: 100 });
  } catch (error) {
    return { complaints: [complain("syntax", placeOf(0), { problem: firstSentence(String((error as Error).message)) })] };
  }
  if (value === null || value === undefined) return { complaints: [complain("empty", placeOf(0), undefined as never)] };
  return { document: { file, text, value, ...positions(doc, placeOf, textLines) }, complaints: [] };
}

function firstSentence(message: string): string {
  return message.split("\n")[0]!.replace(/[.:]$/, "");
}

function positions(
  doc: Document,
  placeOf: (offset: number) => Place,
  textLines: readonly string[],
): Pick<SourceDocument, "at" | "atKey" | "within"> {
  const walk = (path: Path): { node: Node | null | undefined; key: Node | undefined } => {
    let node = doc.contents as Node | null;
    let key: Node | undefined;
    for (const step of path) {
      if (isMap(node)) {
        const pair = node.items.find((item) => isScalar(item.key) && String(item.key.value) === String(step));
        if (!pair) break;
        key = pair.key as Node;
        if (!pair.value) return { node: key, key };
        node = pair.value as Node;
      } else if (isSeq(node) && node.items[Number(step)]) {
        node = node.items[Number(step)] as Node;
        key = node;
      } else break;
    }
    return { node, key };
  };
  /** How far the first line below line `line` (from 1) is indented. */
  const indentOf = (line: number): number => (textLines.slice(line).find((below) => below.trim() !== "") ?? "").search(/\S|$/);
  const start = (node: Node | null | undefined): Place => placeOf(node?.range?.[0] ?? 0);
  return {
    at: (path) => start(walk(path).node),
    atKey: (path) => {
      const { key, node } = walk(path);
      return start(key ?? node);
    },
    within: (path, line, column) => {
      const { node } = walk(path);
      const at = start(node);
      if (!isScalar(node) || typeof node.value !== "string") return at;
      // A block scalar keeps the text's lines: they begin on the line below its `|`, indented alike.
      if (node.type === "BLOCK_LITERAL") return { ...at, line: at.line + line, column: column + indentOf(at.line) };
      if (line === 1 && node.type === "PLAIN") return { ...at, column: at.column + column - 1 };
      if (line === 1) return { ...at, column: at.column + column };
      return at;
    },
  };
}

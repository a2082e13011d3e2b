import { applyEdits, modify, parseTree, type Node } from "jsonc-parser";

/** A line's members as text by name; `undefined` for a line that is not a JSON object. */
export function valuesOf(line: string): Record<string, string> | undefined {
  let object: unknown;
  try {
    object = JSON.parse(line.replace(/^\ufeff/, ""));
  } catch {
    return undefined;
  }
  if (object === null || typeof object !== "object" || Array.isArray(object)) return undefined;
  return Object.fromEntries(Object.entries(object).map(([name, value]) => [name, textOf(value, name, line)]));
}

/** Beyond this a number does not survive being read as one. */
const SAFE = /^-?\d{1,15}(?:\.\d{1,6})?$/;

function textOf(value: unknown, name: string, line: string): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "string") return value;
  // A large or long number is taken from the line itself, every digit of it.
  if (typeof value === "number") return SAFE.test(String(value)) ? String(value) : (sourceOf(line, name) ?? String(value));
  if (Array.isArray(value) && value.every((item) => typeof item === "string")) return value.join("\n");
  return typeof value === "object" ? JSON.stringify(value) : String(value as boolean);
}

const membersOf = (line: string): readonly Node[] => parseTree(line.replace(/^\ufeff/, " "))?.children ?? [];

function sourceOf(line: string, name: string): string | undefined {
  const value = membersOf(line).findLast((member) => member.children?.[0]?.value === name)?.children?.[1];
  return value && line.slice(value.offset, value.offset + value.length);
}

/** A line's members as JSON by name, each as it stands. */
export function sourcesOf(line: string): Record<string, string> {
  return Object.fromEntries(
    membersOf(line).flatMap(({ children: [name, value] = [] }) =>
      name && value ? [[String(name.value), line.slice(value.offset, value.offset + value.length)]] : [],
    ),
  );
}

/** What a member becomes: a value, JSON as it stands elsewhere, or nothing at all. */
export type NewMember = { readonly value: string | number | boolean } | { readonly source: string } | "gone";

/** Stands for JSON that is put in as it is. */
const HERE = "\ue000here\ue000";

/** The line with members set; everything else in it stays as it is, byte for byte. */
export function withMembers(line: string, members: Readonly<Record<string, NewMember>>): string {
  const [, body = "", end = ""] = /^([\s\S]*?)(\r?\n?)$/.exec(line) ?? [];
  const mark = body.startsWith("\ufeff") ? "\ufeff" : "";
  let text = body.slice(mark.length);
  for (const [name, member] of Object.entries(members)) {
    const value = member === "gone" ? undefined : "value" in member ? member.value : HERE;
    const edits = modify(text, [name], value, {}).map((edit) =>
      value === HERE ? { ...edit, content: edit.content.replace(JSON.stringify(HERE), () => (member as { source: string }).source) } : edit,
    );
    text = applyEdits(text, edits);
  }
  return `${mark}${text}${end}`;
}

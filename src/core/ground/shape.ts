import type * as z from "zod/mini";
import { complain, type Complaint } from "./complaint.js";
import type { Path, SourceDocument } from "./document.js";
import { nearest } from "./nearest.js";
import { inQuotes } from "./yaml-advice.js";

/** Words for what a schema has no message of its own for; the small build of Zod brings none. */
function words(issue: z.core.$ZodRawIssue): string | undefined {
  const size = (origin: string, limit: unknown): string =>
    `${String(limit)}${origin === "string" ? " characters" : origin === "array" ? " items" : ""}`;
  switch (issue.code) {
    case "too_small":
      return `Expected ${issue.inclusive === false ? "more than" : "at least"} ${size(issue.origin, issue.minimum)}`;
    case "too_big":
      return `Expected ${issue.inclusive === false ? "less than" : "at most"} ${size(issue.origin, issue.maximum)}`;
    case "invalid_value":
      return `Expected ${issue.values.length > 1 ? "one of " : ""}${issue.values.map(String).join(", ")}`;
    default:
      return undefined;
  }
}

/**
 * Holds a part of a document against a Zod schema. Returns the parsed value, or every complaint with its place:
 * unknown keys with the nearest known one, missing keys, wrong types, bad values.
 */
export function checkShape<T>(
  schema: z.ZodMiniType<T>,
  value: unknown,
  document: SourceDocument,
  path: Path = [],
): { value?: T; complaints: Complaint[] } {
  const result = schema.safeParse(value, { error: words });
  if (result.success) return { value: result.data, complaints: [] };
  const complaints: Complaint[] = [];
  for (const issue of result.error.issues) collect(issue, []);
  return { complaints };

  /** `{ about: now, and then }` has a key `and then` without a value. */
  function tornText(at: Path): Complaint | undefined {
    const key = at.at(-1);
    if (typeof key !== "string" || !/\W/.test(key) || valueAt(value, at) !== null) return undefined;
    const around = valueAt(value, at.slice(0, -1)) as Record<string, unknown>;
    const keys = Object.keys(around);
    const torn = keys.slice(0, keys.indexOf(key)).findLast((name) => around[name] !== null);
    if (torn === undefined || typeof around[torn] === "object") return undefined;
    const between = keys.slice(keys.indexOf(torn) + 1, keys.indexOf(key));
    const text = [String(around[torn]), ...between, key].join(", ");
    return complain("tornText", document.atKey([...path, ...at]), { key, whole: `${torn}: ${inQuotes(text)}` });
  }

  function collect(issue: z.core.$ZodIssue, prefix: Path): void {
    const inner = [...prefix, ...(issue.path as Path)];
    const whole = [...path, ...inner];
    if (issue.code === "unrecognized_keys") {
      const known = knownKeys(schema, inner);
      for (const key of issue.keys) {
        const place = document.atKey([...whole, key]);
        const torn = tornText([...inner, key]);
        complaints.push(torn ?? complain("unknownKey", place, { key, known, near: nearest(key, known) }));
      }
    } else if ((issue.code === "invalid_union" || issue.code === "invalid_type") && tornText(inner)) {
      complaints.push(tornText(inner)!);
    } else if (issue.code === "invalid_union" && valueAt(value, inner) === undefined) {
      complaints.push(
        complain("missingKey", document.at(whole), {
          key: String(inner.at(-1) ?? ""),
          hint: issue.message === "Invalid input" ? undefined : issue.message,
        }),
      );
    } else if (issue.code === "invalid_union") {
      const closest = closestBranch(issue);
      if (closest) for (const branchIssue of closest) collect(branchIssue, inner);
      else if (issue.message !== "Invalid input")
        complaints.push(complain("badValue", document.at(whole), { problem: sentence(issue, inner) }));
      else
        complaints.push(
          complain("wrongType", document.at(whole), { expected: unionExpected(issue), found: nameOf(valueAt(value, inner)) }),
        );
    } else if (issue.code === "invalid_type" && valueAt(value, inner) === undefined) {
      complaints.push(complain("missingKey", document.at(whole), { key: String(inner.at(-1) ?? "") }));
    } else if (issue.code === "invalid_type") {
      complaints.push(
        complain("wrongType", document.at(whole), { expected: expectedName(issue.expected), found: nameOf(valueAt(value, inner)) }),
      );
    } else {
      complaints.push(complain("badValue", document.at(whole), { problem: sentence(issue, inner) }));
    }
  }
}

type UnionIssue = Extract<z.core.$ZodIssue, { code: "invalid_union" }>;

/**
 * The branch of a union that the value was meant to be: the one whose outer type fits, and of several the one that knows
 * most of the outer keys, then the one with the fewest mistakes.
 */
function closestBranch(issue: UnionIssue): z.core.$ZodIssue[] | undefined {
  const fitting = issue.errors.filter(
    (branch) => !branch.some((i) => i.path.length === 0 && (i.code === "invalid_type" || i.code === "invalid_value")),
  );
  const weight = (branch: z.core.$ZodIssue[]): number =>
    branch.reduce((sum, i) => sum + (i.code === "unrecognized_keys" ? i.keys.length : 1), 0);
  const unknown = (branch: z.core.$ZodIssue[]): number =>
    weight(branch.filter((i) => i.code === "unrecognized_keys" && i.path.length === 0));
  const compare = (a: z.core.$ZodIssue[], b: z.core.$ZodIssue[]): number => unknown(a) - unknown(b) || weight(a) - weight(b);
  const [first, second] = fitting.toSorted(compare);
  return first && (!second || compare(first, second) < 0) ? first : undefined;
}

function unionExpected(issue: UnionIssue): string {
  const names = issue.errors.flatMap((branch) =>
    branch.flatMap((i) => (i.path.length === 0 && i.code === "invalid_type" ? [expectedName(i.expected)] : [])),
  );
  return [...new Set(names)].join(" or ") || "another form";
}

function expectedName(expected: string): string {
  const names: Record<string, string> = {
    object: "a map",
    record: "a map",
    array: "a list",
    string: "text",
    number: "a number",
    int: "a whole number",
    boolean: "true or false",
  };
  return names[expected] ?? expected;
}

function nameOf(value: unknown): string {
  if (value === null || value === undefined) return "nothing";
  if (Array.isArray(value)) return "a list";
  if (typeof value === "object") return "a map";
  const text = String(value);
  const shown = text.length > 40 ? `${text.slice(0, 40)}…` : text;
  return typeof value === "string" ? `the text "${shown}"` : `\`${shown}\``;
}

function sentence(issue: z.core.$ZodIssue, path: Path): string {
  const what = path.length > 0 ? `\`${String(path.at(-1))}\`: ` : "";
  return `${what}${issue.message.charAt(0).toUpperCase()}${issue.message.slice(1)}${/[.!?]$/.test(issue.message) ? "" : "."}`;
}

function valueAt(value: unknown, path: Path): unknown {
  let current = value;
  for (const step of path) {
    if (current === null || typeof current !== "object") return undefined;
    current = (current as Record<string | number, unknown>)[step];
  }
  return current;
}

interface SchemaNode {
  _zod?: {
    def?: {
      type?: string;
      shape?: Record<string, SchemaNode>;
      innerType?: SchemaNode;
      element?: SchemaNode;
      valueType?: SchemaNode;
      in?: SchemaNode;
      options?: SchemaNode[];
    };
  };
}

/** The keys that the schema allows at a path. */
function knownKeys(schema: unknown, path: Path): string[] {
  let nodes: SchemaNode[] = unwrap(schema as SchemaNode);
  for (const step of path) {
    nodes = nodes.flatMap((node) => {
      const def = node._zod?.def;
      const next = def?.shape?.[step] ?? def?.element ?? def?.valueType;
      return next ? unwrap(next) : [];
    });
  }
  return [...new Set(nodes.flatMap((node) => Object.keys(node._zod?.def?.shape ?? {})))];
}

function unwrap(node: SchemaNode): SchemaNode[] {
  const def = node._zod?.def;
  if (def?.innerType) return unwrap(def.innerType);
  if (def?.in) return unwrap(def.in);
  if (def?.options) return def.options.flatMap(unwrap);
  return [node];
}

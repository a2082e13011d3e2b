import { remark, type Json, type Remark } from "../ground/index.js";
import type { NamedShape } from "../template/index.js";
import { findJson } from "./find-json.js";

/** The parts that a reply gave, or what is wrong with it, in words that a model can act on. */
export type ReplyReading =
  | { readonly ok: true; readonly parts: Record<string, Json>; readonly notes: readonly Remark[] }
  | { readonly ok: false; readonly problems: readonly string[] };

/** Reads a reply into typed parts. Nothing outside its kind gets through. */
export async function readReply(parts: readonly NamedShape[], reply: string): Promise<ReplyReading> {
  const found = await findJson(reply);
  if (!found) return readBareValue(parts, reply);
  return readMembers(parts, found.value as Record<string, unknown>, found.how === "plain" ? [] : [remark(found.how)]);
}

/** Reads the object of a reply into typed parts. */
export function readMembers(
  parts: readonly NamedShape[],
  object: Readonly<Record<string, unknown>>,
  done: readonly Remark[] = [],
): ReplyReading {
  const notes = [...done];
  const members = membersOf(parts, object);
  const values: Record<string, Json> = {};
  const problems: string[] = [];
  for (const part of parts) {
    const raw = members.get(part.name.toLowerCase());
    if ((raw === undefined || raw === null) && part.spec.required !== false) {
      problems.push(`"${part.name}" is missing`);
      continue;
    }
    const reading = part.read(raw);
    if (!reading.ok) problems.push(`"${part.name}" ${reading.problem}`);
    else {
      if (reading.value !== raw && raw !== undefined && typeof raw !== "object") notes.push(remark("tidied", { part: part.name }));
      values[part.name] = reading.value;
    }
  }
  return problems.length > 0 ? { ok: false, problems } : { ok: true, parts: values, notes };
}

/** The object's members by lower-case name; an object wrapped into a single outer member is unwrapped. */
function membersOf(parts: readonly NamedShape[], object: Record<string, unknown>): Map<string, unknown> {
  const byName = (members: Record<string, unknown>): Map<string, unknown> =>
    new Map(Object.entries(members).map(([name, value]) => [name.trim().toLowerCase(), value]));
  const members = byName(object);
  const [only, ...others] = Object.entries(object);
  if (only && others.length === 0 && !parts.some((part) => members.has(part.name.toLowerCase()))) {
    const inner = only[1];
    if (inner !== null && typeof inner === "object" && !Array.isArray(inner)) return byName(inner as Record<string, unknown>);
  }
  return members;
}

/** A template with one part may be answered by the bare value, unless any text would fit it. */
function readBareValue(parts: readonly NamedShape[], reply: string): ReplyReading {
  const [only] = parts;
  if (parts.length === 1 && only && !only.kind.freeText) {
    const reading = only.read(reply.trim());
    if (reading.ok) return { ok: true, parts: { [only.name]: reading.value }, notes: [remark("bareValue")] };
  }
  return { ok: false, problems: ["the reply has no JSON object"] };
}

import type { Json } from "../ground/index.js";
import { kindOf, shapeSpec, type AnySpec, type Reading } from "../kinds/index.js";
import type { NamedShape } from "./instruct.js";
import type { Example } from "./template.js";

/** What a column can take of a part's evidence: `hazard.quote`, `hazard.source`, `hazard.place`. */
export const EVIDENCE_PATHS = ["quote", "source", "place"] as const;
export type EvidencePath = (typeof EVIDENCE_PATHS)[number];

/** The members in which a model gives a part that demands evidence, the words before what they carry. */
const [WORDS, VALUE] = ["quote", "value"] as const;

/** The paths under which columns take the evidence of an answer's parts. */
export const evidencePaths = (answer: Readonly<Record<string, AnySpec>>): string[] =>
  Object.entries(answer).flatMap(([name, { evidence }]) => (evidence ? EVIDENCE_PATHS.map((path) => `${name}.${path}`) : []));

/** The part and the piece of its evidence that a path names; `undefined` where it names none. */
export function evidenceAt(
  parts: readonly NamedShape[],
  path: string,
): { readonly part: string; readonly piece: EvidencePath } | undefined {
  const [part = "", piece, ...more] = path.split(".");
  const known = EVIDENCE_PATHS.find((one) => one === piece);
  return known && more.length === 0 && parts.find(({ name }) => name === part)?.spec.evidence ? { part, piece: known } : undefined;
}

/** A part as a model is asked for it: where evidence is demanded, an object of the words and the value. */
export function askedShape(part: NamedShape): NamedShape {
  const { evidence, about, ...spec } = part.spec;
  if (!evidence) return part;
  const shaped = shapeSpec(
    {
      kind: "record",
      about,
      required: spec.required,
      parts: {
        [WORDS]: {
          kind: "text",
          required: false,
          about: `Words of ${listed(evidence.in)} that carry the value, copied letter by letter, one passage without gaps, short`,
        },
        [VALUE]: { ...spec, required: undefined },
      },
    } as AnySpec,
    kindOf,
  );
  return { name: part.name, ...shaped, read: (raw) => shaped.read(inMembers(raw)) as Reading };
}

const listed = (names: readonly string[]): string =>
  names.length > 1 ? `${names.slice(0, -1).join(", ")} or ${names.at(-1)}` : (names[0] ?? "");

/** A bare value is one without words. */
function inMembers(raw: unknown): unknown {
  if (raw === null || raw === undefined) return raw;
  const isObject = typeof raw === "object" && !Array.isArray(raw);
  return isObject && Object.keys(raw).some((name) => name.trim().toLowerCase() === VALUE) ? raw : { [WORDS]: null, [VALUE]: raw };
}

/** A part of a reply, apart from the words that carry it. */
export function apart(spec: AnySpec, read: Json): { readonly value: Json; readonly words?: string | null } {
  if (!spec.evidence) return { value: read };
  if (read === null) return { value: null, words: null };
  const { [WORDS]: words, [VALUE]: value } = read as { readonly [WORDS]: string | null; readonly [VALUE]: Json };
  return { value, words };
}

/** The same the other way round, for the replies of examples. */
export const together = (spec: AnySpec, value: Json, words: string | undefined): Json =>
  !spec.evidence || value === null ? value : { [WORDS]: words ?? null, [VALUE]: value };

/** Whether a value needs words that carry it: one that says nothing needs none. */
export function needsWords(spec: AnySpec, value: Json): boolean {
  return spec.evidence !== undefined && value !== null && kindOf(spec.kind).saysNothing?.(spec, value) !== true;
}

/** The parts of an example that need words which carry them, and have none. */
export const partsWithoutWords = (answer: Readonly<Record<string, AnySpec>>, example: Example): string[] =>
  Object.entries(answer).flatMap(([part, spec]) => {
    const value = example.answer[part];
    return value !== undefined && needsWords(spec, value) && example.evidence?.[part] === undefined ? [part] : [];
  });

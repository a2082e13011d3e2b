import * as z from "zod/mini";
import {
  checkShape,
  complain,
  documentOf,
  nearest,
  readDocument,
  columnsSourceShapes,
  YoroshiError,
  type Complaint,
  type SourceDocument,
} from "../ground/index.js";
import { hasKind, kindNames, kindOf, specSchema, specsInside, type AnySpec, type CheckedSpec } from "../kinds/index.js";
import { checkTemplate } from "./check.js";
import {
  OFFERS,
  TEMPLATE_FORMAT,
  WHEN_LONG,
  type WhenLong,
  type InputSpec,
  type InputValues,
  type PartValues,
  type Template,
  type TemplateShape,
} from "./template.js";

const anything = z.unknown();
const specs = z.record(z.string(), z.looseObject({ kind: z.string() }));

/** A template file, kinds apart: those are checked by their own schemas, so that messages know their keys. */
export const templateFile = z.strictObject({
  yoroshi: z.optional(z.literal(TEMPLATE_FORMAT)),
  name: z
    .string()
    .check(z.regex(/^[a-z0-9][a-z0-9-]*$/, "A name is made of small letters, digits and hyphens (for example `hazard-triage`).")),
  title: z.optional(z.string()),
  tags: z.optional(z.array(z.string())),
  offer: z.optional(z.array(z.enum(OFFERS, "Expected tools.")).check(z.minLength(1))),
  inputs: specs,
  references: z.optional(
    z.record(
      z.string(),
      z.union(
        [
          ...columnsSourceShapes,
          z.strictObject({
            entries: z.union([
              z.array(z.string().check(z.minLength(1))).check(z.minLength(1)),
              z.record(z.string(), z.union([z.string(), z.number()])),
            ]),
          }),
        ],
        "Expected `{ file: <file> }`, `{ database: <name>, table: <table> }` or `{ entries: <map or list> }`.",
      ),
    ),
  ),
  passages: z.optional(z.record(z.string(), z.string().check(z.minLength(1)))),
  background: z.optional(z.array(z.string().check(z.minLength(1)))),
  role: z.optional(z.string()),
  task: z.string().check(z.minLength(1, "The task is empty.")),
  answer: specs,
  whenMissing: z.optional(
    z.record(
      z.string(),
      z.union(
        [
          z.enum(["decline", "proceed"]),
          z.strictObject({ decline: z.string().check(z.minLength(1)) }),
          z.strictObject({ use: z.unknown() }),
        ],
        "Expected decline, proceed, `{ decline: <why> }` or `{ use: <value> }`.",
      ),
    ),
  ),
  missingWords: z.optional(z.array(z.string().check(z.trim()).check(z.minLength(1)))),
  rules: z.optional(
    z.array(
      z.strictObject({
        forbid: z.optional(z.array(z.string().check(z.minLength(1))).check(z.minLength(1))),
        require: z.optional(z.array(z.string().check(z.minLength(1))).check(z.minLength(1))),
        pattern: z.optional(z.string().check(z.minLength(1))),
        check: z.optional(z.string().check(z.minLength(1))),
        numbersFrom: z.optional(
          z.union([z.literal("inputs"), z.array(z.string()).check(z.minLength(1))], "Expected `inputs`, or a list of their names."),
        ),
        in: z.optional(
          z.union([
            z.pipe(
              z.string(),
              z.transform((part) => [part]),
            ),
            z.array(z.string()).check(z.minLength(1)),
          ]),
        ),
        say: z.optional(z.string().check(z.minLength(1))),
      }),
    ),
  ),
  legwork: z.optional(
    z.strictObject({
      search: z.optional(z.array(z.string().check(z.minLength(1))).check(z.minLength(1))),
      read: z.optional(z.array(z.string().check(z.minLength(1))).check(z.minLength(1))),
      engine: z.optional(z.string()),
      results: z.optional(z.int().check(z.gte(1)).check(z.lte(20))),
      readPages: z.optional(z.int().check(z.gte(1)).check(z.lte(50))),
      hosts: z.optional(
        z.strictObject({
          only: z.optional(z.array(z.string()).check(z.minLength(1))),
          not: z.optional(z.array(z.string()).check(z.minLength(1))),
        }),
      ),
      further: z.optional(z.int().check(z.gte(1)).check(z.lte(5))),
      follow: z.optional(z.array(z.string().check(z.minLength(1))).check(z.minLength(1))),
      maxChars: z.optional(z.int().check(z.gte(200)).check(z.lte(200_000))),
      maxAgeDays: z.optional(z.number().check(z.positive())),
    }),
  ),
  whenLong: z.optional(z.record(z.string(), z.enum(WHEN_LONG as [WhenLong, ...WhenLong[]], `Expected one of ${WHEN_LONG.join(", ")}.`))),
  examples: z.optional(
    z.union([
      z.array(
        z.strictObject({
          inputs: z.record(z.string(), anything),
          answer: z.record(z.string(), anything),
          evidence: z.optional(z.record(z.string(), z.string())),
        }),
      ),
      z.strictObject({
        from: z.string().check(z.minLength(1)),
        take: z.int().check(z.gte(1)).check(z.lte(50)),
        seed: z.optional(z.int()),
        balance: z.optional(z.string()),
      }),
    ]),
  ),
  secondLook: z.optional(
    z.strictObject({ checks: z.array(z.string().check(z.minLength(1))).check(z.minLength(1)), use: z.optional(z.string()) }),
  ),
  doubt: z.optional(
    z.strictObject({
      by: z.enum(["agreement", "logProbabilities", "stated"], "Expected agreement, logProbabilities or stated."),
      asks: z.optional(z.int().check(z.gte(2)).check(z.lte(9))),
      temperature: z.optional(z.number().check(z.positive()).check(z.lte(2))),
      parts: z.optional(z.array(z.string()).check(z.minLength(1))),
      below: z.optional(z.number().check(z.gt(0)).check(z.lte(1))),
      ask: z.optional(z.string()),
    }),
  ),
  model: z.optional(
    z.strictObject({
      use: z.optional(z.string()),
      temperature: z.optional(z.number().check(z.gte(0)).check(z.lte(2))),
      maxTokens: z.optional(z.int().check(z.positive())),
      seed: z.optional(z.int()),
    }),
  ),
});

/** The keys that only inputs have. */
export const INPUT_KEYS = { required: z.optional(z.boolean()), sample: z.optional(z.unknown()) };
/** The keys that parts of an answer have, and parts of records in it. */
export const PART_KEYS = {
  required: z.optional(z.boolean()),
  evidence: z.optional(z.strictObject({ in: z.array(z.string()).check(z.minLength(1)) })),
};
const FROM_REFERENCE = z.strictObject({ from: z.string() });

export interface TemplateReading {
  readonly template?: Template;
  /** For further checks that name places. */
  readonly document?: SourceDocument;
  readonly complaints: readonly Complaint[];
}

/**
 * Reads a template from YAML. Every mistake is reported with file, line and column; then there is no template.
 *
 * @example
 * ```ts
 * import { formatComplaint, readTemplate } from "yoroshi";
 *
 * const { template, complaints } = readTemplate("yoroshi: template/1\nname: tone\ntask: How? {{ note }}\n", "tone.yaml");
 * template === undefined; // => true
 * console.log(complaints.map(formatComplaint));
 * ```
 */
export function readTemplate(text: string, file: string): TemplateReading {
  const { document, complaints } = readDocument(text, file);
  if (!document) return { complaints };
  const format = checkFormat(document, TEMPLATE_FORMAT);
  if (format) return { complaints: [format] };
  return checkDocument(document);
}

/**
 * Makes a template in code, with the types of its inputs and answer inferred.
 *
 * @throws YoroshiError `filesInvalid` with every mistake found.
 * @example
 * ```ts
 * import { template } from "yoroshi";
 *
 * const tone = template({
 *   name: "tone",
 *   inputs: { note: { kind: "text" } },
 *   task: "How does the writer feel? {{ note }}",
 *   answer: { tone: { kind: "choice", options: { calm: "plain facts", upset: "anger" } } },
 * });
 * tone.name; // => "tone"
 * ```
 */
export function template<const Inputs extends Readonly<Record<string, InputSpec>>, const Parts extends Readonly<Record<string, AnySpec>>>(
  shape: Omit<TemplateShape, "inputs" | "answer"> & {
    readonly inputs: Inputs & { readonly [Name in keyof Inputs]: CheckedSpec<Inputs[Name], InputSpec> };
    readonly answer: Parts & { readonly [Name in keyof Parts]: CheckedSpec<Parts[Name]> };
  },
): Template<InputValues<Inputs>, PartValues<Parts>> {
  const { template: made, complaints } = checkDocument(documentOf(shape, `template ${shape.name}`));
  if (!made) throw new YoroshiError("filesInvalid", { complaints });
  return made as Template<InputValues<Inputs>, PartValues<Parts>>;
}

/** The complaint about a file that does not begin with its format, or `undefined`. */
export function checkFormat(document: SourceDocument, expected: string): Complaint | undefined {
  const found = (document.value as { yoroshi?: unknown } | null)?.yoroshi;
  if (found === undefined) return complain("missingFormat", { file: document.file, line: 1, column: 1 }, { expected });
  if (found === expected) return undefined;
  // A list or a map may be long, and may hold itself.
  const told = Array.isArray(found) ? "[…]" : found !== null && typeof found === "object" ? "{…}" : String(found);
  return complain("wrongFormat", document.at(["yoroshi"]), { found: told, expected });
}

function checkDocument(document: SourceDocument): TemplateReading {
  const shape = checkShape(templateFile, document.value, document);
  const raw = (document.value ?? {}) as { inputs?: unknown; answer?: unknown };
  const complaints = [...shape.complaints, ...checkSpecs(raw.inputs, "inputs", document), ...checkSpecs(raw.answer, "answer", document)];
  if (!shape.value || complaints.length > 0) return { complaints };
  const { yoroshi: _, ...rest } = shape.value;
  // The schema tells what the type does, but for what each kind adds, which `checkSpecs` has held against the kinds.
  const made = rest as unknown as Template;
  const faults = checkTemplate(made, document);
  return faults.length > 0 ? { complaints: faults } : { template: made, document, complaints: [] };
}

function checkSpecs(specsFound: unknown, where: "inputs" | "answer", document: SourceDocument): Complaint[] {
  if (specsFound === null || typeof specsFound !== "object" || Array.isArray(specsFound)) return [];
  return Object.entries(specsFound).flatMap(([name, spec]) =>
    checkSpec(spec, [where, name], document, where === "inputs" ? "input" : "part"),
  );
}

/** Where a spec stands decides which keys it has besides its kind's. */
type SpecPlace = "input" | "part" | "inner";

function checkSpec(spec: unknown, path: (string | number)[], document: SourceDocument, place: SpecPlace): Complaint[] {
  const kindName = (spec as { kind?: unknown } | null)?.kind;
  if (typeof kindName !== "string") return []; // the shape's own check has complained
  if (!hasKind(kindName)) {
    return [
      complain("unknownKind", document.at([...path, "kind"]), { kind: kindName, known: kindNames, near: nearest(kindName, kindNames) }),
    ];
  }
  const kind = kindOf(kindName);
  if (kind.inputOnly && place !== "input")
    return [
      complain("badValue", document.at([...path, "kind"]), {
        problem: `Only an input can be of the kind \`${kindName}\`, not a part of the answer.`,
      }),
    ];
  const { options, ...others } = spec as { options?: unknown };
  // `options: { from: name }` reads a reference; any other map of options is meanings.
  const fromReference = FROM_REFERENCE.safeParse(options).success;
  const { complaints } = checkShape(
    specSchema(kind, place === "input" ? INPUT_KEYS : place === "part" ? PART_KEYS : {}),
    fromReference ? others : spec,
    document,
    path,
  );
  if (complaints.length > 0) return complaints;
  const faults = (kind.faults?.(spec as AnySpec) ?? []).map((fault) =>
    fault === "noOptions"
      ? complain("noOptions", document.at(path), undefined as never)
      : complain("badValue", document.at(path), { problem: fault }),
  );
  return [
    ...faults,
    ...specsInside(spec as AnySpec).flatMap((inner) =>
      checkSpec(inner.spec, [...path, ...inner.path], document, inner.path[0] === "parts" ? "part" : "inner"),
    ),
  ];
}

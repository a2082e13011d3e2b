import * as z from "zod";
import { kindNames, kindOf, specSchema } from "../core/index.js";
import { defineFreeJob } from "./job.js";

/** How a form asks for a key of a kind: by its schema, so that a new key needs no form of its own. */
const form = z.enum([
  /** Words, a number, yes or no, one of some. */
  "words",
  "number",
  "yesNo",
  "oneOf",
  /** Names, each with what it means; or, where `fromReference`, the name of a reference. */
  "meanings",
  /** Specs of kinds by name, or one spec. */
  "parts",
  "part",
  /** Anything else, as JSON. */
  "json",
]);

const facet = z.object({
  key: z.string(),
  form,
  needed: z.boolean(),
  options: z.array(z.string()).optional(),
  fromReference: z.boolean().optional(),
});

type Facet = z.output<typeof facet>;

/** A key's JSON Schema, as far as it decides about the form. */
interface KeySchema {
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly KeySchema[];
  readonly oneOf?: readonly KeySchema[];
  readonly additionalProperties?: KeySchema | boolean;
  readonly properties?: Readonly<Record<string, KeySchema>>;
}

/** The kinds of inputs and answers with the keys that each takes, for forms. */
export const listKinds = defineFreeJob({
  name: "listKinds",
  summary: "Lists the kinds of inputs and of parts of an answer, with the keys that each takes and how a form asks for them.",
  input: z.strictObject({}),
  report: z.object({
    kinds: z.array(z.object({ kind: z.string(), summary: z.string(), inputOnly: z.boolean(), facets: z.array(facet) })),
  }),
  async run() {
    return {
      kinds: kindNames.map((name) => {
        const kind = kindOf(name);
        return { kind: name, summary: kind.summary, inputOnly: kind.inputOnly === true, facets: facetsOf(name) };
      }),
    };
  },
});

function facetsOf(name: string): Facet[] {
  // Of the small form of the same library, which the core is made with.
  const { properties = {}, required = [] } = z.toJSONSchema(specSchema(kindOf(name)) as unknown as z.ZodType, {
    io: "input",
    unrepresentable: "any",
  }) as { properties?: Record<string, KeySchema>; required?: string[] };
  return Object.entries(properties)
    .filter(([key]) => key !== "kind" && key !== "about" && key !== "resolved")
    .map(([key, schema]) => {
      const found = formOf(schema);
      const isFromReference = found.form === "meanings" && key === "options" && kindOf(name).resolve !== undefined;
      return { key, needed: required.includes(key), ...found, ...(isFromReference ? { fromReference: true } : {}) };
    });
}

function formOf(schema: KeySchema): Omit<Facet, "key" | "needed"> {
  const { type, enum: values, additionalProperties: inside } = schema;
  if (values) return { form: "oneOf", options: values.map(String) };
  if (type === "boolean") return { form: "yesNo" };
  if (type === "number" || type === "integer") return { form: "number" };
  if (type === "string") return { form: "words" };
  const ways = schema.anyOf ?? schema.oneOf;
  if (ways?.some((way) => way.type === "array") && ways.some((way) => way.type === "object")) return { form: "meanings" };
  if (schema.properties?.["kind"]) return { form: "part" };
  if (type === "object" && typeof inside === "object") {
    const isSpec = [inside, ...(inside.anyOf ?? [])].some((one) => one.properties?.["kind"] !== undefined);
    return { form: isSpec ? "parts" : inside.type === "string" ? "meanings" : "json" };
  }
  return { form: "json" };
}

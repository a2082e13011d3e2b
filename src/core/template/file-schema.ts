import * as z from "zod";
import type { Json } from "../ground/index.js";
import { jsonSchemaOf, kindNames, kindOf, specSchema } from "../kinds/index.js";
import { INPUT_KEYS, PART_KEYS, templateFile } from "./read.js";

/** The JSON Schema of a template file, for editors: every key of every kind. */
export function templateFileSchema(): Record<string, Json> {
  const anyOf = (names: readonly string[], extra: z.ZodRawShape): z.ZodType => z.union(names.map((name) => withReference(specSchema(kindOf(name), extra))) as [z.ZodType, ...z.ZodType[]]);
  const parts = kindNames.filter((name) => !kindOf(name).inputOnly);
  return jsonSchemaOf(templateFile.extend({ inputs: z.record(z.string(), anyOf(kindNames, INPUT_KEYS)), answer: z.record(z.string(), anyOf(parts, PART_KEYS)) }));
}

/** Options may also be read from a reference, which a kind's own schema does not know of. */
function withReference(schema: z.ZodObject): z.ZodType {
  const { options } = schema.shape as { options?: z.ZodType };
  return options ? schema.extend({ options: z.union([z.strictObject({ from: z.string() }), options]) }) : schema;
}

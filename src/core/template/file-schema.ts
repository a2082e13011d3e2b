import * as z from "zod/mini";
import type { Json } from "../ground/index.js";
import { jsonSchemaOf, kindNames, kindOf, specSchema } from "../kinds/index.js";
import { INPUT_KEYS, PART_KEYS, templateFile } from "./read.js";

/** The JSON Schema of a template file, for editors: every key of every kind. */
export function templateFileSchema(): Record<string, Json> {
  const anyOf = (names: readonly string[], extra: z.core.$ZodLooseShape): z.ZodMiniType =>
    z.union(names.map((name) => withReference(specSchema(kindOf(name), extra))) as [z.ZodMiniType, ...z.ZodMiniType[]]);
  const parts = kindNames.filter((name) => !kindOf(name).inputOnly);
  return jsonSchemaOf(
    z.extend(templateFile, {
      inputs: z.record(z.string(), anyOf(kindNames, INPUT_KEYS)),
      answer: z.record(z.string(), anyOf(parts, PART_KEYS)),
    }),
  );
}

/** Options may also be read from a reference, which a kind's own schema does not know of. */
function withReference(schema: z.ZodMiniObject): z.ZodMiniType {
  const { options } = schema.shape as { options?: z.ZodMiniType };
  return options ? z.extend(schema, { options: z.union([z.strictObject({ from: z.string() }), options]) }) : schema;
}

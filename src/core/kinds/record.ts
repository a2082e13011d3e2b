import * as z from "zod/mini";
import type { Json } from "../ground/index.js";
import {
  fits,
  keptSchemaOf,
  misfit,
  saidValue,
  tellValue,
  tidyValue,
  typescriptOf,
  valueSchemaOf,
  type AnySpec,
  type Kind,
} from "./kind.js";
import { indent, tellNamed } from "./tell.js";
import type { ValueOf } from "./value-of.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    record: Spec extends { readonly parts: infer Parts } ? { -readonly [Name in keyof Parts]: ValueOf<Parts[Name]> } : never;
  }
  interface KindSpecs {
    record: RecordSpec;
  }
}

export interface RecordSpec extends AnySpec {
  readonly kind: "record";
  /** The named parts, each with a kind of its own. */
  readonly parts: Readonly<Record<string, AnySpec>>;
}

type RecordValue = { [name: string]: Json };

export const record: Kind<RecordSpec, RecordValue> = {
  kind: "record",
  summary: "Several named parts that belong together.",
  keys: { parts: z.record(z.string(), z.looseObject({ kind: z.string() })) },
  freeText: true,
  faults: (spec) => (Object.keys(spec.parts).length === 0 ? ["A record needs parts: `parts: { name: { kind: text } }`."] : []),
  value: (spec, kinds) => objectOf(spec, (part) => valueSchemaOf(part, kinds)),
  kept: (spec, kinds) => objectOf(spec, (part) => keptSchemaOf(part, kinds)),
  said: (spec, value, kinds) =>
    Object.fromEntries(Object.entries(spec.parts).map(([name, part]) => [name, saidValue(part, value[name]!, kinds)])),
  tell: (spec, kinds) =>
    [
      "an object with these members:",
      ...Object.entries(spec.parts).map(([name, part]) => indent(tellNamed(name, part.about, tellValue(part, kinds)))),
    ].join("\n"),
  tidy: (spec, raw, kinds) => {
    if (raw === null || typeof raw !== "object" || Array.isArray(raw)) return raw;
    const members = new Map(Object.entries(raw).map(([name, value]) => [name.trim().toLowerCase(), value as unknown]));
    return Object.fromEntries(
      Object.entries(spec.parts).flatMap(([name, part]) => {
        const value = members.get(name.toLowerCase());
        return value === undefined && part.required !== false ? [] : [[name, tidyValue(part, value, kinds)]];
      }),
    );
  },
  // A record stands in a cell as JSON; its parts can also be put into columns of their own.
  fromCell: (spec, cell, kinds) => {
    try {
      const reading = keptSchemaOf(spec, kinds).safeParse(JSON.parse(cell));
      return reading.success ? fits(reading.data as RecordValue) : misfit("is not a record with its parts");
    } catch {
      return misfit("is not a record in JSON");
    }
  },
  toCell: (_spec, value) => JSON.stringify(value),
  typescript: (spec, kinds) =>
    `{ ${Object.entries(spec.parts)
      .map(([name, part]) => `${name}: ${typescriptOf(part, kinds)}`)
      .join("; ")} }`,
  control: "group",
};

function objectOf(spec: RecordSpec, schemaOf: (part: AnySpec) => z.ZodMiniType): z.ZodMiniType<RecordValue> {
  const shape = Object.fromEntries(Object.entries(spec.parts).map(([name, part]) => [name, schemaOf(part)]));
  // Its members are known when it runs, not when it is compiled.
  return z.strictObject(shape, { error: "must be an object with its members" }) as unknown as z.ZodMiniType<RecordValue>;
}

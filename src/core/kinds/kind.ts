import * as z from "zod/mini";
import type { Json } from "../ground/index.js";

/** A value that fits its kind, or the sentence that says why it does not. */
export type Reading<V = Json> = { readonly ok: true; readonly value: V } | { readonly ok: false; readonly problem: string };

export const fits = <V>(value: V): Reading<V> => ({ ok: true, value });
export const misfit = (problem: string): Reading<never> => ({ ok: false, problem });

/** What every spec of every kind has. */
export interface AnySpec {
  readonly kind: string;
  readonly about?: string | undefined;
  /** Default true. An input that is not required may be missing; a part of an answer may be null where the text does not say. */
  readonly required?: boolean | undefined;
  /** Of a part: the inputs in which words must stand that carry it. A part without such words is null. */
  readonly evidence?: { readonly in: readonly string[] } | undefined;
}

/**
 * Everything Yoroshi knows about one kind of value. A kind is one file that exports one of these;
 * `registry.ts` lists them.
 */
export interface Kind<Spec extends AnySpec = AnySpec, V extends Json = Json> {
  readonly kind: Spec["kind"];
  /** One sentence for the documentation and for messages. */
  readonly summary: string;
  /** The keys that a person may write besides `kind` and `about`, with their checks. */
  readonly keys: z.core.$ZodLooseShape;
  /** What is wrong with a spec whose keys are each right; `options` is empty until references are resolved. */
  faults?(spec: Spec): string[];
  /** The schema of what a model is asked for. What comes out of it, and nothing else, gets into a table. */
  value(spec: Spec, kinds: KindLookup): z.ZodMiniType<V>;
  /** The schema of a value as it is kept, where a model is asked for another form of it. */
  kept?(spec: Spec, kinds: KindLookup): z.ZodMiniType<V>;
  /** A kept value in the form that a model is asked for; default: as it is. */
  said?(spec: Spec, value: V, kinds: KindLookup): Json;
  /** How the value is asked for, after its name: `a whole number from 1 to 5`. Further lines are indented below it. */
  tell(spec: Spec, kinds: KindLookup): string;
  /** Small safe repairs of what a model wrote (spaces, case, quotes); never a guess. Default: none. */
  tidy?(spec: Spec, raw: unknown, kinds: KindLookup): unknown;
  /** Reads the text of a table's cell. Blank cells never get here. */
  fromCell(spec: Spec, cell: string, kinds: KindLookup): Reading<V>;
  /** The text that stands for a value in a table's cell. `fromCell(toCell(v))` gives `v` back. */
  toCell(spec: Spec, value: V, kinds: KindLookup): string;
  /** The TypeScript type of its values, as source: `"calm" | "upset"`. */
  typescript(spec: Spec, kinds: KindLookup): string;
  /** Whether a model's own words stand in the cell, which could then be taken for a formula. */
  readonly freeText?: boolean;
  /** What its cells are in a table whose columns have types. Default `text`. */
  cellType?(spec: Spec): "text" | "integer" | "decimal" | "number" | "yesNo" | "date" | "dateTime";
  /** Whether only inputs can be of this kind. */
  readonly inputOnly?: boolean;
  /** What trials measure of it besides right and wrong. Default: nothing. */
  readonly measures?: readonly Measure[];
  /** When two values count as the same in a trial; default: when they are equal as JSON. */
  same?(truth: V, answer: V): boolean;
  /** Whether a value is a judgement or a fact, for which a confidence can be told; words and what is made of them are neither. */
  readonly settles?: "judgement" | "fact";
  /** Whether a value is the approval of one who judges: a yes, a score in the upper half. */
  isGood?(spec: Spec, value: V): boolean;
  /** Whether a value says that the text says nothing, so that no words can carry it: no, none of the options. Default: never. */
  saysNothing?(spec: Spec, value: V): boolean;
  /** Whether a value is words of any length, such as a reason. */
  readonly isProse?: boolean;
  /** What its cells name, where the value itself lies elsewhere: it is found before a row is asked, and opened when it is. */
  readonly source?: "image" | "document" | "page" | "legwork";
  /** No kind that a person writes. */
  readonly isOwn?: boolean;
  /** Whether a value is rows of another table. */
  readonly takesRows?: boolean;
  /** How its cells may be written in a table of another country. */
  readonly writtenAs?: "numbers" | "dates";
  /** The values that a spec states, each with its meaning. */
  options?(spec: Spec): readonly Option[];
  /** What single values mean, in order, where a spec says so: options, points of a scale. */
  meanings?(spec: Spec): readonly Option[];
  /** The distance of two neighbouring values, where they stand on a scale. */
  step?(spec: Spec): number;
  /** The spec of each item, where a value is several of them. */
  item?(spec: Spec): AnySpec;
  /** How many tokens a value usually takes in an answer; default: as many as its name, and two. */
  usualTokens?(spec: Spec): number;
  /** What works in a spec and is yet likely to give worse answers. */
  weaknesses?(spec: Spec): readonly Weakness[];
  /** A spec with what it names at hand: the rows of references, the run's day. */
  resolve?(spec: Spec, given: Given): Spec;
  /** Finds values of this kind in a text, for the stand-in, which hears of the kind by the first words of `tell`. */
  find?(spec: Spec, text: string): readonly V[];
  /** The control with which a form edits it. */
  readonly control: Control;
}

/** Shares of classes; how far off numbers are; how sets overlap; how words do. */
export type Measure = "classes" | "numbers" | "sets" | "texts";

/**
 * What edits a value: words in a line or an area, one or several of the options, a number, yes or no, a day, a list of lines, a group of
 * others.
 */
export type Control = "line" | "area" | "oneOf" | "someOf" | "number" | "yesNo" | "day" | "lines" | "group";

/** An option, or a point, and what it means. */
export interface Option {
  readonly name: string;
  readonly about?: string | undefined;
}

/** What is weak in a spec: a code with its details, and the key under which it stands, where that is one. */
export type Weakness =
  | { readonly code: "endlessText"; readonly key?: undefined }
  | { readonly code: "bareScale"; readonly missing: readonly string[]; readonly key?: undefined }
  | { readonly code: "bareOptions"; readonly options: readonly string[]; readonly key: string }
  | { readonly code: "overlappingOptions"; readonly one: string; readonly other: string; readonly key: string };

/** What a spec may name. */
export interface Given {
  /** Rows of a reference, for options. @throws YoroshiError where there are none. */
  options(reference: string): readonly Option[];
  /** What one unit of each currency is worth, by its code. */
  rates(reference: string): Readonly<Record<string, number>>;
  /** The run's day, ISO 8601. */
  today(): string;
}

export type KindLookup = (name: string) => Kind;

const orNull = (spec: AnySpec, schema: z.ZodMiniType<Json>): z.ZodMiniType<Json> => (spec.required === false ? z.nullable(schema) : schema);

/** The schema of what a model is asked for, null included where the part is not required. */
export function valueSchemaOf(spec: AnySpec, kinds: KindLookup): z.ZodMiniType<Json> {
  return orNull(spec, kinds(spec.kind).value(spec, kinds));
}

/** A spec never changes, and making its schema takes far longer than using it. */
const keptSchemas = new WeakMap<AnySpec, z.ZodMiniType<Json>>();

/** The schema of a value as it is kept. */
export function keptSchemaOf(spec: AnySpec, kinds: KindLookup): z.ZodMiniType<Json> {
  let schema = keptSchemas.get(spec);
  if (!schema) {
    const kind = kinds(spec.kind);
    keptSchemas.set(spec, (schema = orNull(spec, kind.kept ? kind.kept(spec, kinds) : kind.value(spec, kinds))));
  }
  return schema;
}

/** A kept value in the form that a model is asked for. */
export function saidValue(spec: AnySpec, value: Json, kinds: KindLookup): Json {
  return value === null ? null : (kinds(spec.kind).said?.(spec, value, kinds) ?? value);
}

/** What a model wrote, tidied by its kind; what stands for "not said" becomes null where that is allowed. */
export function tidyValue(spec: AnySpec, raw: unknown, kinds: KindLookup): unknown {
  if (
    spec.required === false &&
    (raw === undefined || (typeof raw === "string" && /^\s*(?:null|none|n\/a|not stated|unknown)?\s*$/i.test(raw)))
  )
    return null;
  const kind = kinds(spec.kind);
  return kind.tidy && raw !== null ? kind.tidy(spec, raw, kinds) : raw;
}

/** How a value is asked for, null included where the part is not required. */
export function tellValue(spec: AnySpec, kinds: KindLookup): string {
  const told = kinds(spec.kind).tell(spec, kinds);
  if (spec.required !== false) return told;
  const [first = "", ...below] = told.split("\n");
  // Where options, points or members follow below, the line that opens them keeps its end.
  return below.length > 0
    ? [`null if the text does not say, else ${first}`, ...below].join("\n")
    : `${first}; null if the text does not say`;
}

/** The TypeScript type of a value, null included where the part is not required. */
export function typescriptOf(spec: AnySpec, kinds: KindLookup): string {
  return `${kinds(spec.kind).typescript(spec, kinds)}${spec.required === false || spec.evidence ? " | null" : ""}`;
}

/** A spec made ready for use: its schema is built once, then used for every row. */
export interface Shaped {
  readonly spec: AnySpec;
  readonly kind: Kind;
  readonly schema: z.ZodMiniType<Json>;
  /** Reads a value that a model wrote. */
  read(raw: unknown): Reading;
  fromCell(cell: string): Reading;
  toCell(value: Json): string;
  /** A value in the form that a model is asked for. */
  said(value: Json): Json;
  tell(): string;
  typescript(): string;
  jsonSchema(): Record<string, Json>;
}

/** Makes a spec ready for use. References in it must have been resolved. */
export function shapeSpec(spec: AnySpec, kinds: KindLookup): Shaped {
  const kind = kinds(spec.kind);
  const schema = valueSchemaOf(spec, kinds);
  const read = (raw: unknown): Reading => {
    const result = schema.safeParse(tidyValue(spec, raw, kinds));
    return result.success ? fits(result.data) : misfit(result.error.issues.map(problemOf).join("; "));
  };
  return {
    spec,
    kind,
    schema,
    read,
    fromCell: (cell) => kind.fromCell(spec, cell, kinds),
    toCell: (value) => (value === null ? "" : kind.toCell(spec, value, kinds)),
    said: (value) => saidValue(spec, value, kinds),
    tell: () => tellValue(spec, kinds),
    typescript: () => typescriptOf(spec, kinds),
    jsonSchema: () => jsonSchemaOf(schema),
  };
}

/** `must be text`, or with its place inside a list or record: `has an item 2 that must be text`. */
function problemOf({ path, message }: z.core.$ZodIssue): string {
  const where = path.map((step) => (typeof step === "number" ? `an item ${step + 1}` : `a member "${String(step)}"`));
  return where.length === 0 ? message : `has ${where.join(" with ")} that ${message}`;
}

/**
 * A Zod schema as the JSON Schema that hosts with strict structured outputs take: no `oneOf`, no patterns made for
 * formats, no bounds that only restate what a safe integer is.
 */
export function jsonSchemaOf(schema: z.ZodMiniType): Record<string, Json> {
  const { $schema: _, ...json } = z.toJSONSchema(schema, {
    io: "input",
    unrepresentable: "any",
    override: ({ jsonSchema: node }) => {
      if (node.oneOf) {
        node.anyOf = node.oneOf;
        delete node.oneOf;
      }
      if (node.format) delete node.pattern;
      if (node.minimum === Number.MIN_SAFE_INTEGER) delete node.minimum;
      if (node.maximum === Number.MAX_SAFE_INTEGER) delete node.maximum;
    },
  });
  return json as Record<string, Json>;
}

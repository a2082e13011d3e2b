import type { Json, RowsSource } from "../ground/index.js";
import type { AnySpec, LegworkSpec, ValueOf } from "../kinds/index.js";
import type { Rule } from "./rules.js";

/** An input as a template declares it: a kind with what only inputs have. */
export interface InputSpec extends AnySpec {
  /** A value to try the template with. */
  readonly sample?: Json | undefined;
}

/**
 * A table of options, terms, rates or facts that the template reads when it is rendered: from a file or database, or given in
 * the template itself, as a map from name to meaning (a text) or rate (a number), or as a list of names.
 */
export type ReferenceSpec =
  | (RowsSource & {
      /**
       * Which columns hold the `name`, what it means (`about`), its `rate`, or other facts; default: name and about, the first and the
       * second.
       */
      readonly columns?: ReferenceColumns | undefined;
    })
  | { readonly entries: Readonly<Record<string, string | number>> | readonly string[] };

export interface ReferenceColumns {
  readonly name: string;
  readonly about?: string | undefined;
  readonly rate?: string | undefined;
  readonly [other: string]: string | undefined;
}

/** One row of a reference. */
export interface ReferenceRow {
  readonly name: string;
  readonly about?: string | undefined;
  /** How much one unit of it is worth, for currencies. */
  readonly rate?: number | undefined;
  readonly [other: string]: string | number | undefined;
}

/**
 * What to do with a row whose input is missing: answer nothing and say so (in the analyst's words, if given), ask all
 * the same, or ask with another value instead.
 */
export type WhenMissing = "decline" | "proceed" | { readonly decline: string } | { readonly use: Json };

/**
 * What to do with a text input above its `maxChars`: answer nothing and say so, keep its beginning up to the end of a
 * sentence, keep head and tail, or have a model condense it in pieces first.
 */
export type WhenLong = "decline" | "cut" | "ends" | "condense";
export const WHEN_LONG: readonly WhenLong[] = ["decline", "cut", "ends", "condense"];

/** Examples taken from a file of labelled rows; those rows are not graded in trials. */
export interface ExamplesFrom {
  readonly from: string;
  /** How many. */
  readonly take: number;
  /** Seed of the pick. Default 1. */
  readonly seed?: number | undefined;
  /** The part over whose values the examples are spread evenly; default: the first choice, score or yesNo. */
  readonly balance?: string | undefined;
}

/** A further request that holds the answer against the analyst's list and may correct it. */
export interface SecondLook {
  readonly checks: readonly string[];
  /** The model that looks; the template's own when not given. */
  readonly use?: string | undefined;
}

/**
 * How sure an answer is, from 0 to 1: the share of `asks` that agree at a temperature, the probabilities of its tokens
 * where the host gives them, or what the model itself says.
 */
export interface Doubt {
  readonly by: "agreement" | "logProbabilities" | "stated";
  /** How often to ask, for agreement. Default 3. */
  readonly asks?: number | undefined;
  /** The temperature at which to ask, for agreement. Default 0.7. */
  readonly temperature?: number | undefined;
  /** The parts that count; default: every choice, choices, score, yesNo, date and number. */
  readonly parts?: readonly string[] | undefined;
  /** Below this, the model `ask` is asked instead. */
  readonly below?: number | undefined;
  readonly ask?: string | undefined;
}

export const DEFAULT_DOUBT = { asks: 3, temperature: 0.7 };
/** The name under which a plan takes an answer's confidence into a column. */
export const CONFIDENCE = "confidence";

export interface Example {
  readonly inputs: Readonly<Record<string, Json>>;
  readonly answer: Readonly<Record<string, Json>>;
  /** The words of the inputs that carry its parts, where the answer demands them. */
  readonly evidence?: Readonly<Record<string, string>> | undefined;
}

/** Which of the project's models answers, and its settings. */
export interface ModelChoice {
  readonly use?: string | undefined;
  readonly temperature?: number | undefined;
  readonly maxTokens?: number | undefined;
  readonly seed?: number | undefined;
}

/** To whom a template may be offered. */
export const OFFERS = ["tools"] as const;
export type Offer = (typeof OFFERS)[number];

/** The shape that a person writes, in YAML or in TypeScript. */
export interface TemplateShape {
  readonly name: string;
  readonly title?: string | undefined;
  readonly tags?: readonly string[] | undefined;
  /** To whom it is offered beyond people: chat assistants, as a tool. */
  readonly offer?: readonly Offer[] | undefined;
  readonly inputs: Readonly<Record<string, InputSpec>>;
  readonly references?: Readonly<Record<string, ReferenceSpec>> | undefined;
  /** Files of text or Markdown that every prompt carries, relative to the project. */
  readonly background?: readonly string[] | undefined;
  /** Pieces of text that several templates share, by name: `{{ house }}` in role or task stands for the file's text. */
  readonly passages?: Readonly<Record<string, string>> | undefined;
  readonly role?: string | undefined;
  readonly task: string;
  readonly answer: Readonly<Record<string, AnySpec>>;
  /** Words that count as missing beside a blank cell, whatever their case: `n/a`, `-`. */
  readonly missingWords?: readonly string[] | undefined;
  readonly rules?: readonly Rule[] | undefined;
  /** What is searched and read before the question is asked. */
  readonly legwork?: LegworkSpec | undefined;
  readonly whenMissing?: Readonly<Record<string, WhenMissing>> | undefined;
  readonly whenLong?: Readonly<Record<string, WhenLong>> | undefined;
  readonly examples?: readonly Example[] | ExamplesFrom | undefined;
  readonly secondLook?: SecondLook | undefined;
  readonly doubt?: Doubt | undefined;
  readonly model?: ModelChoice | undefined;
}

/** A checked template. `Inputs` and `Parts` are the TypeScript types of what goes in and comes out. */
export interface Template<Inputs = Record<string, Json>, Parts = Record<string, Json>> extends TemplateShape {
  /** Carries the types only; never set. */
  readonly types?: { readonly inputs: Inputs; readonly parts: Parts };
}

/** A template without what its types say of its inputs and parts, for code that reads them by their kinds. */
export const untyped = <Inputs, Parts>(template: Template<Inputs, Parts>): Template =>
  // The two differ in `types` alone, which is never set.
  template as unknown as Template;

type Flatten<T> = { [K in keyof T]: T[K] } & {};
type OptionalNames<Specs> = { [Name in keyof Specs]: Specs[Name] extends { readonly required: false } ? Name : never }[keyof Specs];

/** `{ report: { kind: "text" }, logged: { kind: "date", required: false } }` -> `{ report: string; logged?: string | null }`. */
export type InputValues<Specs> = Flatten<
  { [Name in Exclude<keyof Specs, OptionalNames<Specs>>]: ValueOf<Specs[Name]> } & {
    [Name in OptionalNames<Specs>]?: ValueOf<Specs[Name]> | null;
  }
>;

/** `{ tone: { kind: "choice", options: ["calm", "upset"] } }` -> `{ tone: "calm" | "upset" }`. */
export type PartValues<Specs> = Flatten<{ -readonly [Name in keyof Specs]: ValueOf<Specs[Name]> }>;

export const TEMPLATE_FORMAT = "template/1";
export const DEFAULT_MAX_TOKENS = 800;

import type { Json } from "../ground/index.js";
import type { AnySpec, ValueOf } from "../kinds/index.js";
import type { Rule } from "./rules.js";

/** An input as a template declares it: a kind with what only inputs have. */
export interface InputSpec extends AnySpec {
  /** Default true: a row without it is declined, unless `whenMissing` says otherwise. */
  readonly required?: boolean | undefined;
  /** A value to try the template with. */
  readonly sample?: Json | undefined;
}

/** A table of options, terms or facts that the template reads when it is rendered. */
export interface ReferenceSpec {
  readonly file: string;
  /** Which columns hold the name and what it means; default: the first and the second. */
  readonly columns?: { readonly name: string; readonly about?: string | undefined } | undefined;
}

/**
 * What to do with a row whose input is missing: answer nothing and say so (in the analyst's words, if given), ask all
 * the same, or ask with another value instead.
 */
export type WhenMissing = "decline" | "proceed" | { readonly decline: string } | { readonly use: Json };

export interface Example {
  readonly inputs: Readonly<Record<string, Json>>;
  readonly answer: Readonly<Record<string, Json>>;
}

/** Which of the project's models answers, and its settings. */
export interface ModelChoice {
  readonly use?: string | undefined;
  readonly temperature?: number | undefined;
  readonly maxTokens?: number | undefined;
  readonly seed?: number | undefined;
}

/** The shape that a person writes, in YAML or in TypeScript. */
export interface TemplateShape {
  readonly name: string;
  readonly title?: string | undefined;
  readonly tags?: readonly string[] | undefined;
  readonly inputs: Readonly<Record<string, InputSpec>>;
  readonly references?: Readonly<Record<string, ReferenceSpec>> | undefined;
  /** Files of text or Markdown that every prompt carries, relative to the project. */
  readonly background?: readonly string[] | undefined;
  readonly role?: string | undefined;
  readonly task: string;
  readonly answer: Readonly<Record<string, AnySpec>>;
  /** Words that count as missing beside a blank cell, whatever their case: `n/a`, `-`. */
  readonly missingWords?: readonly string[] | undefined;
  readonly rules?: readonly Rule[] | undefined;
  readonly whenMissing?: Readonly<Record<string, WhenMissing>> | undefined;
  readonly examples?: readonly Example[] | undefined;
  readonly model?: ModelChoice | undefined;
}

/** A checked template. `Inputs` and `Parts` are the TypeScript types of what goes in and comes out. */
export interface Template<Inputs = Record<string, Json>, Parts = Record<string, Json>> extends TemplateShape {
  /** Carries the types only; never set. */
  readonly types?: { readonly inputs: Inputs; readonly parts: Parts };
}

type Flatten<T> = { [K in keyof T]: T[K] } & {};
type OptionalNames<Specs> = { [Name in keyof Specs]: Specs[Name] extends { readonly required: false } ? Name : never }[keyof Specs];

/** `{ report: { kind: "text" }, logged: { kind: "date", required: false } }` -> `{ report: string; logged?: string | null }`. */
export type InputValues<Specs> = Flatten<
  { [Name in Exclude<keyof Specs, OptionalNames<Specs>>]: ValueOf<Specs[Name]> } & { [Name in OptionalNames<Specs>]?: ValueOf<Specs[Name]> | null }
>;

/** `{ tone: { kind: "choice", options: ["calm", "upset"] } }` -> `{ tone: "calm" | "upset" }`. */
export type PartValues<Specs> = Flatten<{ -readonly [Name in keyof Specs]: ValueOf<Specs[Name]> }>;

export const TEMPLATE_FORMAT = "template/1";
export const DEFAULT_MAX_TOKENS = 800;

import * as z from "zod/mini";
import { countChars, htmlOfMarkdown, joinWords, markupNeeded, sentences, wordsOfHtml } from "../ground/index.js";
import { sameWords } from "../statistics/index.js";
import { fits, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    text: string;
  }
  interface KindSpecs {
    text: TextSpec;
  }
}

export interface TextSpec extends AnySpec {
  readonly kind: "text";
  /** Upper limits, counted in code points, sentences (UAX #29) and words. */
  readonly maxChars?: number | undefined;
  readonly maxSentences?: number | undefined;
  readonly maxWords?: number | undefined;
  /** Whether Markdown is wanted; plain text (the default) says so to the model. */
  readonly form?: "plain" | "markdown" | undefined;
  /** The value is HTML for a page: the model writes Markdown, which is rendered here so that it can do no harm. Limits are of Markdown. */
  readonly markup?: "html" | undefined;
  /** The language to answer in, by its English name: `German`. */
  readonly language?: string | undefined;
}

const limit = z.optional(z.int().check(z.positive()));

export const text: Kind<TextSpec, string> = {
  kind: "text",
  summary: "Words: a note, a summary, a reason.",
  keys: {
    maxChars: limit,
    maxSentences: limit,
    maxWords: limit,
    form: z.optional(z.enum(["plain", "markdown"], "Expected plain or markdown.")),
    markup: z.optional(z.literal("html", "Expected html.")),
    language: z.optional(z.string().check(z.minLength(2))),
  },
  freeText: true,
  faults: ({ form, markup }) =>
    markup !== undefined && form === "plain" ? ["`markup: html` is made of Markdown; leave `form: plain` out."] : [],
  value: (spec) => {
    if (spec.markup === undefined) return written(spec);
    markupNeeded();
    return z.pipe(written(spec), z.transform(htmlOfMarkdown)) as z.ZodMiniType<string>;
  },
  kept: (spec) =>
    spec.markup === undefined ? written(spec) : z.string({ error: "must be text" }).check(z.minLength(1, "must not be empty")),
  said: ({ markup }, value) => (markup === undefined ? value : wordsOfHtml(value)),
  tell: (spec) => {
    const limits = [
      spec.maxSentences && `${spec.maxSentences} ${spec.maxSentences === 1 ? "sentence" : "sentences"}`,
      spec.maxWords && `${spec.maxWords} words`,
      spec.maxChars && `${spec.maxChars} characters`,
    ].filter((part) => typeof part === "string");
    const what = `${spec.form === "markdown" || spec.markup !== undefined ? "Markdown text" : spec.form === "plain" ? "plain text without markup" : "text"}${spec.language ? ` in ${spec.language}` : ""}`;
    return limits.length > 0 ? `${what}, at most ${joinWords(limits)}` : what;
  },
  tidy: (_spec, raw) => (typeof raw === "string" ? raw.trim() : typeof raw === "number" ? String(raw) : raw),
  fromCell: (_spec, cell) => fits(cell),
  toCell: (_spec, value) => value,
  typescript: () => "string",
  control: "area",
  measures: ["texts"],
  isProse: true,
  same: (truth, answer) => sameWords(truth, answer),
  usualTokens: ({ maxChars = USUAL_CHARS }) => Math.min(80, Math.ceil(maxChars / 6)),
  weaknesses: ({ maxChars, maxWords, maxSentences }) => (!maxChars && !maxWords && !maxSentences ? [{ code: "endlessText" }] : []),
};

/** The schema of a text as it is written. */
function written(spec: TextSpec): z.ZodMiniType<string> {
  const limits = z.check<string>((context) => {
    for (const message of overLimits(spec, context.value)) context.issues.push({ code: "custom", message, input: context.value });
  });
  const schema = z.string({ error: "must be text" }).check(z.minLength(1, "must not be empty"), limits);
  return spec.maxChars === undefined ? schema : schema.register(z.globalRegistry, { maxLength: spec.maxChars });
}

/** What a text without a limit is taken to bring. */
const USUAL_CHARS = 300;

function overLimits(spec: TextSpec, value: string): string[] {
  const problems: string[] = [];
  if (spec.maxChars && value.length > spec.maxChars) {
    const chars = countChars(value);
    if (chars > spec.maxChars) problems.push(`has ${chars} characters, at most ${spec.maxChars} are allowed`);
  }
  if (spec.maxWords) {
    const words = value.split(/\s+/).length;
    if (words > spec.maxWords) problems.push(`has ${words} words, at most ${spec.maxWords} are allowed`);
  }
  if (spec.maxSentences) {
    // A lone mark such as "…" is no sentence.
    const found = sentences(value).filter((sentence) => /[\p{L}\p{N}]/u.test(sentence)).length;
    if (found > spec.maxSentences) problems.push(`has ${found} sentences, at most ${spec.maxSentences} are allowed`);
  }
  return problems;
}

import { stringify } from "yaml";
import { countChars, type Json } from "../ground/index.js";
import { template } from "./read.js";
import { TEMPLATE_FORMAT, untyped, type Template } from "./template.js";

/** A column that a drafted template may read, with what stands in some of its cells. */
export interface DraftColumn {
  readonly name: string;
  readonly examples: readonly string[];
}

const MOST_COLUMNS = 60;
const EXAMPLE_CHARS = 80;

/**
 * The template that drafts templates: it is asked with the analyst's `description` and answers with title, task, the
 * columns to read and the parts of the answer.
 */
export function draftingTemplate(columns: readonly DraftColumn[]): Template {
  const options = Object.fromEntries(
    columns
      .slice(0, MOST_COLUMNS)
      .map(({ name, examples }) => [
        name,
        examples
          .map((text) => `${text.replace(/\s+/g, " ").slice(0, EXAMPLE_CHARS)}${countChars(text) > EXAMPLE_CHARS ? "…" : ""}`)
          .join(" | "),
      ]),
  );
  return untyped(
    template({
      name: "draft",
      inputs: { description: { kind: "text" } },
      role: "You write instructions for classifying, scoring and summarising rows of a table.",
      task: [
        "Draft an instruction from this description of what shall be found out about each row of a table.",
        "{{ description }}",
        "Ask for nothing that the description does not want.",
      ].join("\n"),
      answer: {
        title: { kind: "text", about: "A heading", maxChars: 80, maxSentences: 1 },
        task: { kind: "text", about: "The instruction in full sentences that begin with a verb", maxChars: 600 },
        reads: {
          kind: "choices",
          about: "The columns of the table that the instruction needs",
          options,
          atLeast: 1,
          atMost: Math.min(6, Object.keys(options).length),
        },
        parts: {
          kind: "list",
          about: "One for each thing that the description wants to know",
          atLeast: 1,
          atMost: 6,
          of: {
            kind: "record",
            parts: {
              name: { kind: "text", about: "A name for it", maxWords: 2, maxChars: 30 },
              about: { kind: "text", about: "What it is", maxChars: 120 },
              form: {
                kind: "choice",
                about: "The form that it has",
                options: {
                  "one option": "sort, classify or decide which one of several it is",
                  "several options": "tag, or choose all that apply",
                  score: "score, rate or grade how much, how bad or how urgent, from one number to another",
                  "yes or no": "whether something is so or not",
                  text: "sum up, describe, rewrite or explain in words",
                  list: "list steps, points or names",
                  number: "an amount, a count or a measure",
                  date: "the day or the date when",
                },
              },
              options: {
                kind: "list",
                about: "The options that the description names for it, if it names any",
                of: { kind: "text", maxWords: 5 },
                atMost: 12,
              },
              lowest: { kind: "number", about: "The lowest number of a score, 1 if none is named" },
              highest: { kind: "number", about: "The highest number of a score, 5 if none is named" },
            },
          },
        },
      },
      model: { temperature: 0, maxTokens: 1500 },
    }),
  );
}

interface DraftPart {
  readonly name: string;
  readonly about: string;
  readonly form: string;
  readonly options: readonly string[];
  readonly lowest: number;
  readonly highest: number;
}

/** A template file from the drafting template's answer. It still has to be checked: a model wrote it. */
export function draftFile(name: string, answer: Readonly<Record<string, Json>>, columns: readonly DraftColumn[]): string {
  const reads = answer["reads"] as string[];
  const taken = new Set<string>();
  const inputs = reads.map((column) => ({
    column,
    name: nameFrom(column, taken),
    sample: columns.find((known) => known.name === column)?.examples[0],
  }));
  // Read against the drafting template, which has just these members.
  const parts = (answer["parts"] as unknown as DraftPart[]).map((part) => [nameFrom(part.name, taken), specOf(part)] as const);
  // Placeholders come from here only: braces in what a model wrote are taken out.
  const task = String(answer["task"]).replace(/[{}]/g, "").trim();
  const file = {
    yoroshi: TEMPLATE_FORMAT,
    name,
    title: String(answer["title"]),
    inputs: Object.fromEntries(
      inputs.map((input) => [
        input.name,
        { kind: "text", about: `The column ${input.column}`, maxChars: 6000, ...(input.sample ? { sample: input.sample } : {}) },
      ]),
    ),
    task: `${task}\n${inputs.map((input) => (inputs.length > 1 ? `${input.column}: {{ ${input.name} }}` : `{{ ${input.name} }}`)).join("\n")}\n`,
    answer: Object.fromEntries(parts),
    model: { temperature: 0, maxTokens: 400 },
  };
  return stringify(file, { lineWidth: 120, blockQuote: "literal" });
}

function specOf({ about, form, options, lowest, highest }: DraftPart): object {
  const named = [...new Map(options.map((option) => [option.trim().toLowerCase(), option.trim()])).values()].filter(
    (option) => option !== "",
  );
  const range = lowest < highest ? { from: lowest, to: highest } : { from: 1, to: 5 };
  switch (form) {
    case "one option":
      return named.length > 1 ? { kind: "choice", about, options: named, otherwise: "unclear" } : { kind: "text", about, maxWords: 4 };
    case "several options":
      return named.length > 1
        ? { kind: "choices", about, options: named }
        : { kind: "list", about, of: { kind: "text", maxWords: 4 }, atMost: 5 };
    case "score":
      return { kind: "score", about, ...range, scale: { [range.from]: "lowest", [range.to]: "highest" } };
    case "yes or no":
      return { kind: "yesNo", about };
    case "list":
      return { kind: "list", about, of: { kind: "text", maxChars: 120 }, atMost: 5 };
    case "number":
      return { kind: "number", about };
    case "date":
      return { kind: "date", about };
    default:
      return { kind: "text", about, maxSentences: 1, maxChars: 200 };
  }
}

/** `Report text` -> `reportText`, made unique. */
/** A name for an input or a part, made of words; taken names get a number. */
export function nameFrom(words: string, taken: Set<string>): string {
  const [first = "value", ...rest] = words
    .normalize("NFKD")
    .replace(/[^\p{L}\p{N}\s_-]/gu, "")
    .split(/[\s_-]+/)
    .filter((word) => word !== "");
  const joined =
    `${/^[A-Z]+$/.test(first) ? first.toLowerCase() : first.charAt(0).toLowerCase() + first.slice(1)}${rest.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join("")}`.replace(
      /[^\p{L}\p{N}_]/gu,
      "",
    );
  const base = /^[\p{L}_]/u.test(joined) ? joined : `value${joined}`;
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base}${n}`;
  taken.add(name);
  return name;
}

import { template, untyped, type Template } from "../template/index.js";
import type { InquiryColumn } from "./columns.js";
import { CONDITIONS, FIGURES } from "./inquiry.js";

/** What a template of our own can name; further columns are left out. */
export const MOST_COLUMNS = 80;

/**
 * The template that turns a question about a table into figures and conditions over its columns. It is asked with the `question`, and
 * the `columns` in words; it gives no number of its own.
 */
export function inquiryTemplate(columns: readonly InquiryColumn[]): Template {
  const names = columns.slice(0, MOST_COLUMNS).map(({ name }) => name);
  const column = { kind: "choice", options: names } as const;
  return untyped(
    template({
      name: "inquiry",
      inputs: { question: { kind: "text", maxChars: 2000 }, columns: { kind: "text" } },
      role: "You turn questions about a table into conditions and figures over its columns. Others compute them: you never give a number yourself.",
      task: [
        "Here is a question about the rows of a table.",
        "{{ question }}",
        "These are the table's columns, each with its kind and frequent values.",
        "{{ columns }}",
        "Say by which figure and conditions over these columns the question is answered. Use values as they stand in the columns.",
        "Where it names something that the table does not have, or could mean two columns, say what is unclear.",
      ].join("\n"),
      answer: {
        understood: { kind: "text", about: "The question in other words, or what is unclear about it", maxChars: 300 },
        what: {
          kind: "choice",
          about: "What the question wants",
          options: {
            figure: "one number: how many, what share, a total, a mean, the greatest or least",
            each: "that number for each value of a column, or which value has most or least",
            list: "the rows themselves",
            read: "something that only the words in the rows can tell: why, what they say, a summary",
            unclear: "it names nothing that the table has, or could mean two things",
          },
        },
        figure: { kind: "choice", about: "The figure", options: [...FIGURES], required: false },
        of: { ...column, about: "The column that the figure is of; none where rows are counted", required: false },
        by: { ...column, about: "The column for each of whose values the figure is wanted", required: false },
        conditions: {
          kind: "list",
          about: "What must hold of a row",
          atMost: 8,
          of: {
            kind: "record",
            parts: {
              column: { ...column, about: "The column" },
              is: { kind: "choice", about: "What it must be", options: [...CONDITIONS] },
              values: { kind: "list", about: "The values that are compared with", of: { kind: "text", maxChars: 200 }, atMost: 20 },
            },
          },
        },
        any: { kind: "yesNo", about: "One of these conditions is enough (or), instead of all of them (and)" },
        order: { kind: "choice", about: "Which come first", options: ["most", "least"], required: false },
        limit: { kind: "number", about: "How many are wanted", required: false },
        unclear: {
          kind: "list",
          about: "What the question could mean, where that is unclear; else nothing",
          of: { kind: "text", maxChars: 160 },
          atMost: 6,
        },
      },
      model: { temperature: 0, maxTokens: 700 },
    }),
  );
}

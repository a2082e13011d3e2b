import { joinWords } from "../ground/index.js";
import { template, untyped, type Template } from "../template/index.js";
import type { TrialReport } from "./report.js";

const MOST_ROWS = 24;
const ROW_CHARS = 200;

/** The template that suggests better wording for another: asked with `task` and `mistakes`, it answers with sentences to add. */
export function suggestingTemplate(): Template {
  return untyped(
    template({
      name: "suggest",
      inputs: { task: { kind: "text" }, mistakes: { kind: "text" } },
      role: "You improve instructions for sorting, scoring and summarising rows of a table.",
      task: [
        "Here is an instruction, and rows where its answers were wrong.",
        "Write sentences to add to the instruction, so that answers to rows like these become right.",
        "State a general rule in each sentence; never quote a whole row.",
        "Instruction: {{ task }}",
        "Rows: {{ mistakes }}",
      ].join("\n"),
      answer: {
        sentences: { kind: "list", about: "Sentences to add", of: { kind: "text", maxChars: 200, maxSentences: 2 }, atLeast: 1, atMost: 5 },
      },
      model: { temperature: 0, maxTokens: 800 },
    }),
  );
}

/** The rows that disagree, in words: what is confused with what, by which words, and some of the rows. */
export function mistakesText(report: TrialReport, textOf: (id: string) => string): string {
  const confused = report.advice.confused
    .filter(({ words }) => words.length > 0)
    .map(({ right, words }) => `What has to do with ${joinWords(words, "or")} is ${right}.`);
  const rows = report.disagreements
    .slice(0, MOST_ROWS)
    .map(
      ({ id, part, truth, answer }) =>
        `${part} is ${truth}, not ${answer ?? "unanswered"}, in: ${textOf(id).replace(/\s+/g, " ").slice(0, ROW_CHARS)}`,
    );
  return [...confused, "", ...rows].join("\n\n");
}

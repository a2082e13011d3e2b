import type { Working } from "../answer/index.js";
import { remark, YoroshiError, type Json, type Remark } from "../ground/index.js";
import { prepare, template, untyped, type Template } from "../template/index.js";
import { answerInquiry, answerText, type Inquired } from "./answer-inquiry.js";
import type { AskedTable } from "./asked-table.js";
import { columnsTold } from "./columns.js";
import type { Counted } from "./compute.js";
import { inquiryTemplate } from "./inquiry-template.js";
import type { ReadInquiry } from "./inquiry.js";

/** What a step that inquires takes and gives, as a template: so plans name its parts, and check them, like those of any other. */
export const inquireTemplate = (): Template =>
  untyped(
    template({
      name: "inquiry",
      inputs: { question: { kind: "text", maxChars: 2000 } },
      task: "{{ question }}",
      answer: {
        answer: { kind: "text", about: "The answer: a figure, figures of groups, how many rows, or words" },
        figure: { kind: "number", about: "The figure alone", required: false },
        counted: { kind: "text", about: "How it was counted, in words" },
        rows: { kind: "number", about: "How many rows are behind it", decimals: 0 },
        keys: { kind: "text", about: "The keys of the first rows behind it" },
        understood: { kind: "text", about: "The question as it was understood" },
        where: { kind: "text", about: "The conditions, as CEL over row", required: false },
      },
    }),
  );

const KEYS_KEPT = 50;

/** A further question had no answer: the one that it was asked for has none, either. */
class Unanswered extends Error {
  constructor(readonly reason: Remark) {
    super("unanswered");
  }
}

/**
 * What code makes of a question to a table.
 *
 * @param basis stands for the table as it is now.
 */
export function inquiryWorking(table: AskedTable, basis: string): Working {
  const columns = columnsTold(table.columns);
  return {
    reading: prepare(inquiryTemplate(table.columns)),
    inputs: (inputs) => ({ question: inputs["question"] ?? "", columns }),
    basis,
    async work(parts, inputs, ask) {
      try {
        // The reading's own parts, typed by the kinds that its template is made of.
        const inquired = await answerInquiry(parts as unknown as ReadInquiry, String(inputs["question"]), table, {
          ask: async (prepared, given) => {
            const further = await ask(prepared, given);
            if (isDeclined(further)) throw new Unanswered(further.declined);
            return further;
          },
        });
        return inquired.back
          ? { declined: remark("askedBack", { problem: inquired.back.problem, readings: inquired.back.readings }) }
          : { parts: partsOf(inquired) };
      } catch (error) {
        if (error instanceof Unanswered) return { declined: error.reason };
        if (error instanceof YoroshiError) return { declined: remark("told", { text: error.message }) };
        throw error;
      }
    },
  };
}

const isDeclined = (given: object): given is { readonly declined: Remark } =>
  typeof (given as { declined?: { code?: unknown } }).declined?.code === "string";

function keysText({ keys, matched }: Counted): string {
  const some = keys.slice(0, KEYS_KEPT);
  return `${some.join(", ")}${matched > some.length ? ` and ${matched - some.length} more` : ""}`;
}

function partsOf(inquired: Extract<Inquired, { back?: undefined }>): Record<string, Json> {
  const { counted, how, understood, unfounded = [] } = inquired;
  const told = unfounded.length === 0 ? how : `${how}; these numbers stand in no row: ${unfounded.join(", ")}`;
  return {
    answer: answerText(inquired),
    figure: typeof counted.value === "number" ? counted.value : null,
    counted: told,
    rows: counted.matched,
    keys: keysText(counted),
    understood,
    where: counted.where ?? null,
  };
}

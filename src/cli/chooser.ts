import { createInterface } from "node:readline";
import { quiet } from "./print/print.js";
import { visible } from "./print/visible.js";

export interface Choice {
  readonly value: string;
  /** Instead of the value. */
  readonly shown?: string | undefined;
  readonly about?: string | undefined;
}

/** Asks short questions, each with a default: with arrow keys on a terminal, a line for each elsewhere, or nobody at all. */
export interface Chooser {
  one(question: string, choices: readonly Choice[], fallback: string | undefined, isOpen?: boolean): Promise<string>;
  several(question: string, choices: readonly Choice[], fallback: readonly string[]): Promise<string[]>;
  words(question: string, fallback: string): Promise<string>;
}

/** @param takesDefaults nobody is asked. */
export function chooserAt(takesDefaults: boolean): Chooser {
  if (takesDefaults)
    return {
      one: async (_q, choices, fallback) => fallback ?? choices[0]?.value ?? "",
      several: async (_q, _c, fallback) => [...fallback],
      words: async (_q, fallback) => fallback,
    };
  return process.stdin.isTTY && process.stdout.isTTY ? atKeys() : atLines();
}

const nameOf = ({ value, shown, about }: Choice): string => visible(`${shown ?? value}${about ? `  ${quiet(about)}` : ""}`, false);

function atKeys(): Chooser {
  return {
    async one(question, choices, fallback, isOpen = false) {
      if (choices.length === 0 && isOpen) return this.words(question, fallback ?? "");
      const { default: select } = await import("@inquirer/select");
      return select({
        message: visible(question),
        choices: choices.map((choice) => ({ value: choice.value, name: nameOf(choice) })),
        default: fallback,
        pageSize: 12,
      });
    },
    async several(question, choices, fallback) {
      const { default: checkbox } = await import("@inquirer/checkbox");
      return checkbox({
        message: visible(question),
        choices: choices.map((choice) => ({ value: choice.value, name: nameOf(choice), checked: fallback.includes(choice.value) })),
        required: true,
        pageSize: 12,
      });
    },
    async words(question, fallback) {
      const { default: input } = await import("@inquirer/input");
      return input({ message: visible(question), default: fallback });
    },
  };
}

/** A number of the list, a value, or a blank line for the default. */
function atLines(): Chooser {
  const read = createInterface({ input: process.stdin, terminal: false })[Symbol.asyncIterator]();
  const line = async (question: string): Promise<string> => {
    process.stderr.write(visible(question));
    const { value, done } = await read.next();
    process.stderr.write("\n");
    return done ? "" : String(value).trim();
  };
  const listed = (choices: readonly Choice[]): string => choices.map((choice, index) => `\n  ${index + 1} ${nameOf(choice)}`).join("");
  const named = (choices: readonly Choice[], said: string): string =>
    /^\d+$/.test(said) ? (choices[Number(said) - 1]?.value ?? said) : said;
  return {
    async one(question, choices, fallback) {
      const said = await line(`${question}${listed(choices)}\n[${fallback ?? ""}] `);
      return said === "" ? (fallback ?? choices[0]?.value ?? "") : named(choices, said);
    },
    async several(question, choices, fallback) {
      const said = await line(`${question}${listed(choices)}\n[${fallback.join(", ")}] `);
      return said === "" ? [...fallback] : said.split(",").map((one) => named(choices, one.trim()));
    },
    words: async (question, fallback) => (await line(`${question}\n[${fallback}] `)) || fallback,
  };
}

import path from "node:path";
import { stringify } from "yaml";
import * as z from "zod";
import { nameFrom, PLAN_FORMAT, TEMPLATE_FORMAT } from "../core/index.js";
import { DATABASE, type TableLook, type TablePlace } from "./look-at-table.js";

const meaning = z.object({ name: z.string().min(1), about: z.string().optional() });

/** What is to be found out about each row. */
export const wantedShape = z.discriminatedUnion("what", [
  z.strictObject({ what: z.literal("topic"), topics: z.array(meaning).min(2) }),
  z.strictObject({ what: z.literal("score"), question: z.string().min(1), points: z.array(z.string().min(1)).min(2).max(10) }),
  z.strictObject({ what: z.literal("summary") }),
  z.strictObject({ what: z.literal("answer"), question: z.string().min(1), yes: z.string().optional(), no: z.string().optional() }),
  z.strictObject({ what: z.literal("facts"), facts: z.array(meaning).min(1).max(20) }),
]);

export type Wanted = z.output<typeof wantedShape>;

interface Wish {
  readonly wanted: Wanted;
  readonly from: readonly string[];
  readonly key: string | readonly string[];
  readonly column?: string | undefined;
  readonly numbers?: "comma" | "point" | undefined;
  readonly dates?: "dayFirst" | "monthFirst" | undefined;
}

/** A template's file, with what the plan needs of it. */
export interface StartTemplate {
  readonly text: string;
  /** Input -> column; column -> part. */
  readonly inputs: Readonly<Record<string, string>>;
  readonly fill: Readonly<Record<string, string>>;
}

/** A name of small letters, digits and hyphens. */
export const slugOf = (words: string): string =>
  words
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 40) || "table";

const MOST_CHARS = 6_000;

export function startTemplate(name: string, { columns }: TableLook, wish: Wish): StartTemplate {
  const taken = new Set<string>();
  const inputs = Object.fromEntries(wish.from.map((column) => [nameFrom(column, taken), column]));
  const names = Object.keys(inputs);
  const of = (column: string): TableLook["columns"][number] => columns.find((one) => one.name === column)!;
  const { task, answer, fill } = asked(wish.wanted, wish.column, new Set(columns.map((one) => one.name)), of(wish.from[0]!).language);
  const shown = names.map((input) => (names.length > 1 ? `${inputs[input]}: {{ ${input} }}` : `{{ ${input} }}`)).join("\n");
  const file = {
    yoroshi: TEMPLATE_FORMAT,
    name,
    title: titleOf(wish.wanted),
    inputs: Object.fromEntries(
      names.map((input) => {
        const { examples } = of(inputs[input]!);
        const rest = { about: `The column ${inputs[input]}`, maxChars: MOST_CHARS, ...(examples[0] ? { sample: examples[0] } : {}) };
        return [input, { kind: "text", ...(names.length > 1 ? { required: false } : {}), ...rest }];
      }),
    ),
    task: `${task}\n${shown}\n`,
    answer,
  };
  return { text: stringify(file, { lineWidth: 120, blockQuote: "literal" }), inputs, fill };
}

const titleOf = (wanted: Wanted): string =>
  ({
    topic: "Sort into topics",
    score: "question" in wanted ? wanted.question : "",
    summary: "One sentence",
    answer: "question" in wanted ? wanted.question : "",
    facts: "Facts",
  })[wanted.what];

/** Languages that an instruction names; others are told by their text alone. */
const LANGUAGES: Readonly<Record<string, string>> = {
  deu: "German",
  fra: "French",
  spa: "Spanish",
  ita: "Italian",
  por: "Portuguese",
  nld: "Dutch",
  pol: "Polish",
  swe: "Swedish",
};

interface Asked {
  readonly task: string;
  readonly answer: Readonly<Record<string, object>>;
  readonly fill: Readonly<Record<string, string>>;
}

function asked(wanted: Wanted, column: string | undefined, taken: ReadonlySet<string>, language: string | undefined): Asked {
  const free = (name: string): string => {
    for (let n = 1; ; n++) {
      const one = n === 1 ? name : `${name} ${n}`;
      if (!taken.has(one)) return one;
    }
  };
  const to = (fallback: string): string => column ?? free(fallback);
  const why = { kind: "text", about: "The words that decided it", maxChars: 200 };
  const words = language === undefined || language === "eng" ? "" : ` Write in ${LANGUAGES[language] ?? "the language of the text"}.`;
  switch (wanted.what) {
    case "topic": {
      const options = Object.fromEntries(wanted.topics.map(({ name, about }) => [name, about ?? name]));
      return {
        task: "Decide which topic this text is mainly about.",
        answer: { why, topic: { kind: "choice", options, otherwise: "unclear" } },
        fill: { [to("topic")]: "topic" },
      };
    }
    case "score": {
      const scale = Object.fromEntries(wanted.points.map((about, index) => [index + 1, about]));
      return {
        task: `Judge by this text: ${sentence(wanted.question)}`,
        answer: { why, score: { kind: "score", from: 1, to: wanted.points.length, scale } },
        fill: { [to("score")]: "score" },
      };
    }
    case "summary":
      return {
        task: `Sum up this text in one plain sentence that somebody understands who knows nothing else of it.${words}`,
        answer: { summary: { kind: "text", maxSentences: 1, maxChars: 160 } },
        fill: { [to("summary")]: "summary" },
      };
    case "answer": {
      const about = [wanted.yes && `yes: ${wanted.yes}`, wanted.no && `no: ${wanted.no}`].filter(Boolean).join("; ");
      return {
        task: `Decide by this text: ${sentence(wanted.question)}`,
        answer: { why, answer: { kind: "yesNo", ...(about === "" ? {} : { about }) } },
        fill: { [to("answer")]: "answer" },
      };
    }
    case "facts": {
      const parts = new Set<string>();
      const named = wanted.facts.map((fact) => ({ ...fact, part: nameFrom(fact.name, parts) }));
      return {
        task: `Take these facts out of the text, as it states them: ${named.map(({ name }) => name).join(", ")}. Leave out what it does not say.`,
        answer: Object.fromEntries(
          named.map(({ part, name, about }) => [part, { kind: "text", about: about ?? name, required: false, maxChars: 120 }]),
        ),
        fill: Object.fromEntries(named.map(({ part, name }) => [free(name), part])),
      };
    }
  }
}

const sentence = (words: string): string => (/[.!?]$/.test(words.trim()) ? words.trim() : `${words.trim()}?`);

/** The plan's file. Inputs and columns stand in it one by one, to be read and changed. */
export function planText(
  name: string,
  template: string,
  root: string,
  place: TablePlace,
  { sheet, headerRow }: TableLook,
  { wanted, from, key, numbers, dates }: Wish,
  { inputs, fill }: StartTemplate,
): string {
  const where =
    "file" in place
      ? {
          file: path.relative(root, path.resolve(root, place.file)).split(path.sep).join("/"),
          ...(sheet === undefined ? {} : { sheet }),
          ...(headerRow === undefined ? {} : { headerRow }),
        }
      : { database: place.as ?? DATABASE, table: place.table };
  const first = from[0]!;
  const bare = /^[\p{L}_][\p{L}\d_]*$/u.test(first) ? `row.${first}` : `row[${JSON.stringify(first)}]`;
  const plan = {
    yoroshi: PLAN_FORMAT,
    name,
    table: { ...where, key, ...(numbers === undefined ? {} : { numbers }), ...(dates === undefined ? {} : { dates }) },
    steps: { [slugOf(wanted.what)]: { template, inputs, fill, ...(from.length === 1 ? { when: `${bare} != ""` } : {}) } },
  };
  return `${stringify(plan, { lineWidth: 120 })}# What a run may cost, once a model with a price is named: limits: { spend: 1.00 }\n`;
}

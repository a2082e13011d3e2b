import type { CallInput } from "yoroshi/client";

export type Wanted = CallInput<"beginPlan">["wanted"];
export type What = Wanted["what"] | "words" | "template";

/** What can be filled, in the words of `yoroshi start`. */
export const WHATS: readonly { readonly what: What; readonly told: string; readonly about: string }[] = [
  { what: "topic", told: "sort into topics", about: "each row gets one of your topics" },
  { what: "score", told: "score", about: "each row gets a point of your scale" },
  { what: "answer", told: "yes or no", about: "a question is answered about each row" },
  { what: "summary", told: "one sentence", about: "each row is summed up" },
  { what: "facts", told: "take facts out", about: "names, days, amounts into columns of their own" },
  { what: "words", told: "in my own words", about: "a model drafts the template from what you say" },
  { what: "template", told: "by a template that is there", about: "one of this project, or one to begin with" },
];

export interface Named {
  readonly name: string;
  readonly about: string;
}

/** What a person has said of what is to be filled; each kind uses its own. */
export interface Said {
  readonly topics: readonly Named[];
  readonly scoreQuestion: string;
  readonly points: readonly string[];
  readonly question: string;
  readonly yes: string;
  readonly no: string;
  readonly facts: readonly Named[];
  readonly words: string;
  /** `starter:tone`, or the name of a template of the project. */
  readonly template: string;
}

/** What stands there before anybody has said anything; the same as on the command line. */
export const SAID: Said = {
  topics: [
    { name: "problem", about: "something is broken, wrong, missing, dangerous or late" },
    { name: "question", about: "somebody asks when, how or whether, and wants to know something" },
    { name: "request", about: "please, could I have, somebody wants something given or done" },
    { name: "praise", about: "thanks and praise, somebody is content and glad" },
    { name: "other", about: "none of these" },
  ],
  scoreQuestion: "How urgent is it?",
  points: ["nothing has to be done", "it can wait", "this week", "today", "at once, somebody is or may be harmed"],
  question: "Does somebody have to act on it?",
  yes: "something has to be done or answered",
  no: "nothing is left to do",
  facts: [
    { name: "who", about: "the person or company it is about" },
    { name: "when", about: "the day or time that it names" },
    { name: "amount", about: "the sum or number that it names" },
  ],
  words: "",
  template: "",
};

const named = (all: readonly Named[]): { name: string; about?: string }[] =>
  all
    .filter(({ name }) => name.trim() !== "")
    .map(({ name, about }) => (about.trim() === "" ? { name: name.trim() } : { name: name.trim(), about: about.trim() }));

/** What is asked of the server; one's own words begin with a sentence, and get what the model drafts. */
export function wantedOf(what: What, said: Said): Wanted {
  switch (what) {
    case "topic":
      return { what, topics: named(said.topics) };
    case "score":
      return { what, question: said.scoreQuestion, points: said.points.filter((point) => point.trim() !== "") };
    case "answer":
      return { what, question: said.question, ...(said.yes ? { yes: said.yes } : {}), ...(said.no ? { no: said.no } : {}) };
    case "facts":
      return { what, facts: named(said.facts) };
    default:
      return { what: "summary" };
  }
}

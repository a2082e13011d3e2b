import { expectTypeOf, test } from "vitest";
import { ask } from "../asking/index.js";
import { isYoroshiError, type Remark } from "../ground/index.js";
import { template } from "./read.js";

const made = template({
  name: "typed",
  inputs: {
    note: { kind: "text" },
    count: { kind: "number", required: false },
    thread: { kind: "rows", required: false, columns: { at: "date", level: { kind: "score", from: 1, to: 3 } } },
  },
  task: "{{ note }} {{ count }} {{ thread }}",
  answer: {
    tone: { kind: "choice", options: ["calm", "upset"], otherwise: "unclear" },
    topic: { kind: "choice", options: { fire: "flames", spill: "oil" } },
    severity: { kind: "score", from: 1, to: 5 },
    followUp: { kind: "yesNo" },
    day: { kind: "date" },
    steps: { kind: "list" },
    numbers: { kind: "list", of: { kind: "number" } },
    tags: { kind: "choices", options: ["a", "b"] },
    who: { kind: "record", parts: { name: { kind: "text" }, mood: { kind: "choice", options: ["up", "down"] } } },
    aspects: {
      kind: "list",
      of: {
        kind: "record",
        parts: { aspect: { kind: "choice", options: { food: "meals" } }, level: { kind: "score", from: 0, to: 1, step: 0.5 } },
      },
    },
  },
});

test("inputs and parts are inferred", async () => {
  type Inputs = NonNullable<typeof made.types>["inputs"];
  type Parts = NonNullable<typeof made.types>["parts"];
  expectTypeOf<Inputs>().toEqualTypeOf<{
    note: string;
    count?: number | null;
    thread?: { at: string | null; level: number | null }[] | null;
  }>();
  expectTypeOf<Parts["tone"]>().toEqualTypeOf<"calm" | "upset" | "unclear">();
  expectTypeOf<Parts["topic"]>().toEqualTypeOf<"fire" | "spill">();
  expectTypeOf<Parts["severity"]>().toEqualTypeOf<number>();
  expectTypeOf<Parts["followUp"]>().toEqualTypeOf<boolean>();
  expectTypeOf<Parts["day"]>().toEqualTypeOf<string>();
  expectTypeOf<Parts["steps"]>().toEqualTypeOf<string[]>();
  expectTypeOf<Parts["tags"]>().toEqualTypeOf<("a" | "b")[]>();
  expectTypeOf<Parts["who"]>().toEqualTypeOf<{ name: string; mood: "up" | "down" }>();
  expectTypeOf<Parts["aspects"]>().toEqualTypeOf<{ aspect: "food"; level: number }[]>();
  expectTypeOf<Parts["numbers"]>().toEqualTypeOf<number[]>();
});

test("an answer is a union by its state", async () => {
  const answer = await ask(made, { note: "x" }, {} as never);
  if (answer.state === "answered") expectTypeOf(answer.parts.tone).toEqualTypeOf<"calm" | "upset" | "unclear">();
  else expectTypeOf(answer.reason).toEqualTypeOf<Remark>();
  // @ts-expect-error an input that the template does not have
  void ask(made, { nope: "x" }, {} as never);
});

test("a misspelt kind or key, and a value that does not fit, are errors at their place", () => {
  const rest = { name: "wrong", task: "{{ note }}" } as const;
  const inputs = { note: { kind: "text" } } as const;
  // @ts-expect-error no such kind
  template({ ...rest, inputs, answer: { tone: { kind: "choise", options: ["a", "b"] } } });
  // @ts-expect-error no such key of a text
  template({ ...rest, inputs, answer: { why: { kind: "text", maxChar: 20 } } });
  // @ts-expect-error a bound is a number
  template({ ...rest, inputs, answer: { level: { kind: "score", from: "1", to: 5 } } });
  // @ts-expect-error no such kind inside a list
  template({ ...rest, inputs, answer: { all: { kind: "list", of: { kind: "txt" } } } });
  // @ts-expect-error no such key inside a record
  template({ ...rest, inputs, answer: { who: { kind: "record", parts: { name: { kind: "text", maxWord: 3 } } } } });
  const answer = { gist: { kind: "text" } } as const;
  // @ts-expect-error no such kind of a column
  template({ ...rest, inputs: { note: { kind: "text" }, thread: { kind: "rows", columns: { at: "dat" } } }, answer });
  // @ts-expect-error no such key of an input
  template({ ...rest, inputs: { note: { kind: "text", smaple: "x" } }, answer });
  // What inputs have besides is known, and so is what every kind has.
  template({
    ...rest,
    inputs: { note: { kind: "text", sample: "x", about: "A note", required: false } },
    answer: { gist: { kind: "text", about: "It" } },
  });
});

test("the details of an error are known by its code", () => {
  const error: unknown = undefined;
  if (!isYoroshiError(error)) return;
  if (error.code === "keyNotFound") expectTypeOf(error.details).toEqualTypeOf<{ keys: readonly string[]; table: string }>();
  if (error.code === "planBusy") expectTypeOf(error.details.plan).toEqualTypeOf<string>();
  // @ts-expect-error no such code
  void (error.code === "planBussy");
});

import { expectTypeOf, test } from "vitest";
import { ask } from "../asking/index.js";
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
  else expectTypeOf(answer.reason).toEqualTypeOf<string>();
  // @ts-expect-error an input that the template does not have
  void ask(made, { nope: "x" }, {} as never);
});

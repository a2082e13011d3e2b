import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { ModelFailure } from "../model/index.js";
import { prepare, template } from "../template/index.js";
import { askPrepared } from "./ask.js";
import { findJson } from "./find-json.js";
import { ask } from "./one.js";
import { readReply } from "./read-reply.js";

const tone = template({
  name: "tone",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { why: { kind: "text", maxChars: 30 }, tone: { kind: "choice", options: ["calm", "upset"] }, level: { kind: "score", from: 1, to: 3 } },
});
const prepared = prepare(tone);
const GOOD = '{"why":"it says so","tone":"calm","level":2}';
const askWith = (replies: readonly (string | object)[]) => {
  const model = scriptedModel((_, index) => replies[index] as string);
  return { model, answer: askPrepared(prepared, { note: "x" }, { model, clock: fakeClock() }) };
};

describe("finding JSON in a reply", () => {
  it.each([
    [GOOD, "plain"],
    [`\n ${GOOD} \n`, "plain"],
    [`\`\`\`json\n${GOOD}\n\`\`\``, "fenced"],
    [`Sure! Here it is:\n${GOOD}\nAnything else?`, "surrounded"],
    [`The {curly} answer: ${GOOD}`, "surrounded"],
    ['{why: "it says so", \'tone\': "calm", "level": 2,}', "repaired"],
    ['{"why":"it says so","tone":"calm","level":2', "repaired"],
  ])("reads %s", (reply, how) => {
    expect(findJson(reply)).toEqual({ value: JSON.parse(GOOD), how });
  });

  it("finds nothing where there is nothing, and never throws", () => {
    for (const reply of ["", "calm", "[1,2]", "no { here", "{".repeat(50_000)]) expect(findJson(reply)).toSatisfy((found) => found === undefined || typeof found === "object");
    expect(findJson("I will come back to you.")).toBeUndefined();
    fc.assert(fc.property(fc.string(), (reply) => void findJson(reply)));
  });
});

describe("reading a reply", () => {
  it("takes parts by name whatever their case, wrapped or with others beside them", () => {
    const parts = { why: "it says so", tone: "calm", level: 2 };
    expect(readReply(prepared.parts, '{"Why":"it says so","TONE":"Calm","level":"2","more":1}')).toMatchObject({ ok: true, parts });
    expect(readReply(prepared.parts, `{"answer":${GOOD}}`)).toMatchObject({ ok: true, parts });
  });

  it("lists everything that is wrong", () => {
    expect(readReply(prepared.parts, '{"why":"","tone":"cross"}')).toEqual({ ok: false, problems: ['"why" must not be empty', '"tone" must be one of: calm, upset', '"level" is missing'] });
  });

  it("takes a bare value only where not any text would do", () => {
    const [why, choice] = prepared.parts;
    expect(readReply([choice!], " Upset. ")).toMatchObject({ ok: true, parts: { tone: "upset" } });
    expect(readReply([why!], "it says so").ok).toBe(false);
  });

  it("lets nothing untyped through, whatever a model writes", () => {
    const reply = fc.oneof(fc.json(), fc.record({ why: fc.anything(), tone: fc.anything(), level: fc.anything() }).map((value) => JSON.stringify(value) ?? ""), fc.string());
    fc.assert(fc.property(reply, (text) => {
      const reading = readReply(prepared.parts, text);
      if (!reading.ok) {
        expect(reading.problems.length).toBeGreaterThan(0);
        return;
      }
      expect(reading.parts["tone"]).toMatch(/^(calm|upset)$/);
      expect([1, 2, 3]).toContain(reading.parts["level"]);
      expect(String(reading.parts["why"]).length).toBeLessThanOrEqual(30);
    }));
  });
});

describe("asking", () => {
  it("answers with parts, usage and cost", async () => {
    expect(await askWith([GOOD]).answer).toMatchObject({ state: "answered", parts: { tone: "calm" }, asks: 1, usage: { tokensIn: 100, tokensOut: 10 }, spent: 110, notes: [] });
  });

  it("asks once more, naming what was wrong, and pays for both", async () => {
    const { model, answer } = askWith(['{"why":"x","tone":"cross","level":9}', GOOD]);
    expect(await answer).toMatchObject({ state: "answered", asks: 2, spent: 220, notes: ["mended"] });
    expect(model.requests[1]!.messages.at(-1)!.content).toContain('- "tone" must be one of: calm, upset\n- "level" must be at most 3');
  });

  it.each([
    ["malformed", [{ text: "no" }, { text: "still no" }], "the answer did not fit, nor did the second try: the reply has no JSON object"],
    ["refused", [{ finish: "refused", refusal: "I cannot." }], "the model refused: I cannot."],
    ["filtered", [{ finish: "filtered" }], "the host's content filter held the answer back"],
    ["cutShort", [{ text: '{"why":', finish: "length" }], "the answer was cut short: it needs more than the template's maxTokens"],
  ])("ends as %s with its reason", async (state, replies, reason) => {
    expect(await askWith(replies).answer).toMatchObject({ state, reason });
  });

  it("fails the row when the host fails, and the run when every row would fail", async () => {
    const failing = (kind: "server" | "unauthorised") => askPrepared(prepared, { note: "x" }, { model: scriptedModel(() => { throw new ModelFailure(kind, "HTTP 500"); }), clock: fakeClock() });
    expect(await failing("server")).toMatchObject({ state: "failed", reason: "HTTP 500", asks: 0 });
    await expect(failing("unauthorised")).rejects.toThrow(ModelFailure);
  });

  it("declines without asking when an input is missing", async () => {
    const model = scriptedModel(() => GOOD);
    expect(await ask(tone, { note: " " }, { model, clock: fakeClock() })).toMatchObject({ state: "declined", reason: "note is blank", spent: 0 });
    expect(model.requests).toHaveLength(0);
  });
});

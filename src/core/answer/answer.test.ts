import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { ModelFailure } from "../model/index.js";
import { cutAtSentence, keepEnds, piecesOf, prepare, readInputs, template } from "../template/index.js";
import type { Answer } from "./answer.js";
import { askPrepared } from "./ask.js";
import { findJson } from "./find-json.js";
import { ask } from "../asking/index.js";
import { readReply } from "./read-reply.js";
import { messageText, textMessage } from "../ground/index.js";

const tone = template({
  name: "tone",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: {
    why: { kind: "text", maxChars: 30 },
    tone: { kind: "choice", options: ["calm", "upset"] },
    level: { kind: "score", from: 1, to: 3 },
  },
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
  ])("reads %s", async (reply, how) => {
    expect(await findJson(reply)).toEqual({ value: JSON.parse(GOOD), how });
  });

  it("finds nothing where there is nothing, and never throws", async () => {
    for (const reply of ["", "calm", "[1,2]", "no { here", "{".repeat(50_000)])
      expect(await findJson(reply)).toSatisfy((found) => found === undefined || typeof found === "object");
    expect(await findJson("I will come back to you.")).toBeUndefined();
    await fc.assert(fc.asyncProperty(fc.string(), async (reply) => void (await findJson(reply))));
  });
});

describe("reading a reply", () => {
  it("takes parts by name whatever their case, wrapped or with others beside them", async () => {
    const parts = { why: "it says so", tone: "calm", level: 2 };
    expect(await readReply(prepared.parts, '{"Why":"it says so","TONE":"Calm","level":"2","more":1}')).toMatchObject({ ok: true, parts });
    expect(await readReply(prepared.parts, `{"answer":${GOOD}}`)).toMatchObject({ ok: true, parts });
  });

  it("lists everything that is wrong", async () => {
    expect(await readReply(prepared.parts, '{"why":"","tone":"cross"}')).toEqual({
      ok: false,
      problems: ['"why" must not be empty', '"tone" must be one of: calm, upset', '"level" is missing'],
    });
  });

  it("takes a bare value only where not any text would do", async () => {
    const [why, choice] = prepared.parts;
    expect(await readReply([choice!], " Upset. ")).toMatchObject({ ok: true, parts: { tone: "upset" } });
    expect((await readReply([why!], "it says so")).ok).toBe(false);
  });

  it("lets nothing untyped through, whatever a model writes", async () => {
    const reply = fc.oneof(
      fc.json(),
      fc.record({ why: fc.anything(), tone: fc.anything(), level: fc.anything() }).map((value) => JSON.stringify(value) ?? ""),
      fc.string(),
    );
    await fc.assert(
      fc.asyncProperty(reply, async (text) => {
        const reading = await readReply(prepared.parts, text);
        if (!reading.ok) {
          expect(reading.problems.length).toBeGreaterThan(0);
          return;
        }
        expect(reading.parts["tone"]).toMatch(/^(calm|upset)$/);
        expect([1, 2, 3]).toContain(reading.parts["level"]);
        expect(String(reading.parts["why"]).length).toBeLessThanOrEqual(30);
      }),
    );
  });
});

describe("asking", () => {
  it("answers with parts, usage and cost", async () => {
    expect(inWords(await askWith([GOOD]).answer)).toMatchObject({
      state: "answered",
      parts: { tone: "calm" },
      asks: 1,
      usage: { tokensIn: 100, tokensOut: 10 },
      spent: 110,
      notes: [],
    });
  });

  it("asks once more, naming what was wrong, and pays for both", async () => {
    const { model, answer } = askWith(['{"why":"x","tone":"cross","level":9}', GOOD]);
    expect(inWords(await answer)).toMatchObject({ state: "answered", asks: 2, spent: 220, notes: ["mended"] });
    expect(inWords(messageText(model.requests[1]!.messages.at(-1)!))).toContain(
      '- "tone" must be one of: calm, upset\n- "level" must be at most 3',
    );
  });

  it.each([
    ["malformed", [{ text: "no" }, { text: "still no" }], "the answer did not fit, nor did the second try: the reply has no JSON object"],
    ["refused", [{ finish: "refused", refusal: "I cannot." }], "the model refused: I cannot."],
    ["filtered", [{ finish: "filtered" }], "the host's content filter held the answer back"],
    ["cutShort", [{ text: '{"why":', finish: "length" }], "the answer was cut short: it needs more than the template's maxTokens"],
  ])("ends as %s with its reason", async (state, replies, reason) => {
    expect(inWords(await askWith(replies).answer)).toMatchObject({ state, reason });
  });

  it("fails the row when the host fails, and the run when every row would fail", async () => {
    const failing = (kind: "server" | "unauthorised") =>
      askPrepared(
        prepared,
        { note: "x" },
        {
          model: scriptedModel(() => {
            throw new ModelFailure(kind, "HTTP 500");
          }),
          clock: fakeClock(),
        },
      );
    expect(inWords(await failing("server"))).toMatchObject({ state: "failed", reason: "HTTP 500", asks: 0 });
    await expect(inWords(failing("unauthorised"))).rejects.toThrow(ModelFailure);
  });

  it("declines without asking when an input is missing", async () => {
    const model = scriptedModel(() => GOOD);
    expect(inWords(await ask(tone, { note: " " }, { model, clock: fakeClock() }))).toMatchObject({
      state: "declined",
      reason: "note is blank",
      spent: 0,
    });
    expect(model.requests).toHaveLength(0);
  });
});

describe("more than one request for an answer", () => {
  const verdict = (tone: string): string => JSON.stringify({ why: "x", tone, level: 2 });
  const asked = (shape: object, replies: (index: number) => string | object, others?: Record<string, ReturnType<typeof scriptedModel>>) => {
    const model = scriptedModel((_, index) => replies(index) as string);
    const made = prepare(template({ ...tone, name: "more", ...shape } as never)) as unknown as typeof prepared;
    return { model, answer: askPrepared(made, { note: "x" }, { model, others, clock: fakeClock() }) };
  };

  it("agreement: asks k times at its temperature, takes what most say, and records how many did", async () => {
    const { model, answer } = asked({ doubt: { by: "agreement", asks: 5, parts: ["tone"] } }, (index) =>
      verdict(index === 0 || index === 3 ? "upset" : "calm"),
    );
    expect(await answer).toMatchObject({
      state: "answered",
      parts: { tone: "calm" },
      asks: 5,
      spent: 550,
      confidence: { value: 0.6, by: "agreement", parts: { tone: 0.6 } },
    });
    expect(model.requests.map(({ temperature, seed }) => [temperature, seed])).toEqual([1, 2, 3, 4, 5].map((seed) => [0.7, seed]));
    expect((await answer).exchanges?.map(({ why }) => why)).toEqual(["asked", "asked again", "asked again", "asked again", "asked again"]);
  });

  it("agreement counts free words only where there is no verdict to count", async () => {
    const { answer } = asked({ answer: { why: { kind: "text", maxChars: 20 } }, doubt: { by: "agreement", asks: 3 } }, (index) =>
      JSON.stringify({ why: index === 0 ? "another" : "the same" }),
    );
    expect(await answer).toMatchObject({ parts: { why: "the same" }, confidence: { value: 2 / 3, parts: { why: 2 / 3 } } });
  });

  it("an ask that fails counts against agreement", async () => {
    const { answer } = asked({ doubt: { by: "agreement", asks: 2 } }, (index) => (index === 0 ? verdict("calm") : "nonsense"));
    expect(await answer).toMatchObject({ state: "answered", parts: { tone: "calm" }, confidence: { value: 0.5 }, asks: 3 });
  });

  it("log probabilities: the product over the tokens that spell the values; told when the host gives none", async () => {
    const text = '{"why":"x","tone":"calm","level":2}';
    const tokens = ['{"why":"x","tone":', '"ca', 'lm"', ',"level":', "2", "}"].map((token, index) => ({
      text: token,
      logProbability: Math.log([1, 0.5, 0.8, 0.1, 0.9, 1][index]!),
    }));
    const { model, answer } = asked({ doubt: { by: "logProbabilities" } }, () => ({ text, tokens }));
    const { confidence } = await answer;
    expect(confidence).toMatchObject({ by: "logProbabilities" });
    expect(confidence!.parts!["tone"]).toBeCloseTo(0.4, 12);
    expect(confidence!.value).toBeCloseTo(0.36, 12);
    expect(inWords(model.requests[0])).toMatchObject({ logProbabilities: true });
    const silent = await asked({ doubt: { by: "logProbabilities" } }, () => text).answer;
    expect(inWords([silent.confidence, silent.notes])).toEqual([undefined, ["the host gave no log probabilities"]]);
  });

  it("stated: asks for it last, and keeps it out of the parts", async () => {
    const { model, answer } = asked({ doubt: { by: "stated" } }, () => '{"why":"x","tone":"calm","level":2,"confidence":0.7}');
    expect(await answer).toMatchObject({ parts: { why: "x", tone: "calm", level: 2 }, confidence: { value: 0.7, by: "stated" } });
    expect((await answer).parts).not.toHaveProperty("confidence");
    expect(messageText(model.requests[0]!.messages.at(-1)!)).toMatch(/- "confidence": a number from 0 to 1\. How sure you are/);
    expect(inWords((model.requests[0]!.schema!["required"] as string[]).at(-1))).toBe("confidence");
  });

  it("asks the dearer model when in doubt, and books both costs by model", async () => {
    const careful = scriptedModel(() => verdict("upset"), { id: "careful", price: { input: 10, output: 10 } });
    const shape = { doubt: { by: "agreement", asks: 2, below: 0.9, ask: "careful" } };
    const doubtful = await asked(shape, (index) => verdict(index === 0 ? "calm" : "upset"), { careful }).answer;
    expect(inWords(doubtful)).toMatchObject({
      parts: { tone: "upset" },
      spent: 220 + 1100,
      spentBy: { scripted: 220, careful: 1100 },
      notes: ["in doubt, so careful was asked"],
    });
    const sure = await asked(shape, () => verdict("calm"), { careful }).answer;
    expect([sure.spent, sure.spentBy, careful.requests.length]).toEqual([220, undefined, 1]);
    await expect(inWords(asked(shape, (index) => verdict(index === 0 ? "calm" : "upset")).answer)).rejects.toThrow(
      "asks the model `careful`, too",
    );
  });

  it("a second look shows the answer and the list, may correct it, and keeps what was before", async () => {
    const look = { secondLook: { checks: ["Shouting is upset."] } };
    const { model, answer } = asked(look, (index) => verdict(index === 0 ? "calm" : "upset"));
    expect(inWords(await answer)).toMatchObject({
      parts: { tone: "upset" },
      firstParts: { tone: "calm" },
      asks: 2,
      notes: ["the second look changed tone"],
    });
    expect(model.requests[1]!.messages.slice(-2)).toEqual([
      textMessage("assistant", verdict("calm")),
      textMessage(
        "user",
        expect.stringMatching(
          /^Check your answer against these points:\n- Shouting is upset\.\nThen answer again with one JSON object/,
        ) as string,
      ),
    ]);
    const unread = await asked(look, (index) => (index === 0 ? verdict("calm") : "All fine!")).answer;
    expect(inWords(unread)).toMatchObject({ state: "answered", parts: { tone: "calm" }, notes: ["the second look could not be read"] });
  });
});

describe("inputs above their limit", () => {
  const LONE = /\p{Surrogate}/u;
  const long = Array.from({ length: 40 }, (_, index) => `Sentence number ${index} says something.`).join(" ");
  const made = (way: "cut" | "ends" | "condense") =>
    prepare(
      template({
        name: "long",
        inputs: { note: { kind: "text", maxChars: 400 } },
        task: "Sum up: {{ note }}",
        answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
        whenLong: { note: way },
      }),
    );

  it("are cut at a sentence, or keep head and tail, and it is said what was left out", () => {
    const cut = readInputs(made("cut"), { note: long });
    const ends = readInputs(made("ends"), { note: long });
    if (cut.state !== "ready" || ends.state !== "ready") throw new Error("not ready");
    const [short, both] = [cut.inputs["note"] as string, ends.inputs["note"] as string];
    expect(short).toMatch(/^Sentence number 0 .* something\.\n\[… the last 1,\d{3} characters are left out\]$/s);
    expect(both).toMatch(/^Sentence number 0 .*\n\[… 1,\d{3} characters are left out here …\]\n.*Sentence number 39 says something\.$/s);
    for (const text of [short, both]) expect(inWords(text.length)).toBeLessThanOrEqual(400);
    expect(inWords(cut.shortened!["note"])).toMatch(/^\d+ of 1,\d{3} characters read, at the end of a sentence$/);
    fc.assert(
      fc.property(fc.string({ unit: "binary", minLength: 200, maxLength: 900 }), fc.integer({ min: 120, max: 199 }), (text, limit) => {
        for (const shorter of [cutAtSentence(text, limit).text, keepEnds(text, limit).text]) {
          expect(shorter.length).toBeLessThanOrEqual(limit);
          if (!LONE.test(text)) expect(LONE.test(shorter)).toBe(false);
        }
        expect(piecesOf(text, limit).join("").replace(/\s/g, "")).toBe(text.replace(/\s/g, ""));
      }),
    );
  });

  it("are condensed in pieces by requests that are counted, and not asked for twice", async () => {
    const kept = new Map<string, Answer>();
    const recall = {
      known: async (fingerprint: string) => kept.get(fingerprint),
      keep: async (fingerprint: string, _: string, answer: Answer) => void kept.set(fingerprint, answer),
    };
    const model = scriptedModel((request) =>
      request.schemaName === "condense" ? JSON.stringify({ text: `${fenced(request, "piece").slice(0, 60)}` }) : '{"tone":"calm"}',
    );
    const answer = await askPrepared(made("condense"), { note: long }, { model, clock: fakeClock(), recall });
    expect(inWords(answer)).toMatchObject({
      state: "answered",
      asks: 5,
      notes: [expect.stringMatching(/^note condensed from 1,\d{3} to \d{3} characters in 4 pieces$/) as string],
    });
    expect(answer.exchanges!.map(({ why }) => why)).toEqual(["condense", "condense", "condense", "condense", "asked"]);
    expect(fenced(model.requests.at(-1)!, "note").length).toBeLessThanOrEqual(400);
    expect(answer.spent).toBe(550);
    const again = await askPrepared(made("condense"), { note: long }, { model, clock: fakeClock(), recall });
    expect(again.asks).toBe(1);
    const short = await askPrepared(made("condense"), { note: "brief" }, { model, clock: fakeClock(), recall });
    expect([short.asks, short.notes]).toEqual([1, []]);
  });
});

import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { messageText } from "../ground/index.js";
import { standin } from "../standin/index.js";
import { prepare, readTemplate, template } from "../template/index.js";
import { formatComplaint } from "../ground/index.js";
import { askPrepared } from "./ask.js";
import { askTogether } from "./several.js";

const shape = {
  name: "hazard",
  inputs: { report: { kind: "text" }, thread: { kind: "rows", required: false, columns: { by: "text", said: "text" } } },
  task: "{{ report }} {% for one in thread %}{{ one.said }}{% endfor %}",
  answer: {
    hazard: {
      kind: "choice",
      about: "What it is about",
      options: ["mooring", "fire"],
      otherwise: "unclear",
      evidence: { in: ["report", "thread"] },
    },
    hurt: { kind: "yesNo", evidence: { in: ["report"] } },
    level: { kind: "score", from: 1, to: 5 },
  },
} as const;
const prepared = prepare(template(shape));
const row = {
  report: "The aft line parted. A deckhand was hurt, please repair the line.",
  thread: [{ by: "mate", said: "Smoke in the galley, too." }],
};

const asked = async (...replies: readonly object[]) => {
  const model = scriptedModel((_, index) => JSON.stringify(replies[index]));
  return { model, answer: await askPrepared(prepared, row, { model, clock: fakeClock() }) };
};
const GOOD = { hazard: { quote: "the aft line PARTED", value: "mooring" }, hurt: { quote: "deckhand was hurt", value: true }, level: 3 };

describe("a part that demands evidence", () => {
  it("is asked for with the words before the value, and told with where they stand", async () => {
    const { model, answer } = await asked(GOOD);
    expect(answer).toMatchObject({ state: "answered", asks: 1, parts: { hazard: "mooring", hurt: true, level: 3 } });
    expect(answer.evidence).toEqual({
      hazard: { found: "atOnce", quote: "The aft line parted", place: { input: "report", from: 0, to: 19 } },
      hurt: { found: "atOnce", quote: "deckhand was hurt", place: { input: "report", from: 23, to: 40 } },
    });
    const prompt = messageText(model.requests[0]!.messages.at(-1)!);
    expect(prompt).toContain(
      '- "hazard": What it is about. An object with these members:\n  - "quote": text; null if the text does not say. Words of report or thread that',
    );
    const { properties } = model.requests[0]!.schema as { properties: Record<string, { properties: object }> };
    expect(Object.keys(properties["hazard"]!.properties)).toEqual(["quote", "value"]);
  });

  it("may have its words in related rows", async () => {
    const { answer } = await asked({ ...GOOD, hazard: { quote: "smoke in the galley", value: "fire" } });
    expect(answer.evidence?.["hazard"]).toMatchObject({ place: { input: "thread", row: 1, column: "said", from: 0, to: 19 } });
  });

  it("is mended once, and is blank where its words are still not there", async () => {
    const bad = { ...GOOD, hazard: { quote: "the bow line parted", value: "mooring" } };
    const mended = await asked(bad, GOOD);
    expect(mended.answer).toMatchObject({ asks: 2, parts: { hazard: "mooring" }, evidence: { hazard: { found: "mended" } } });
    expect(messageText(mended.model.requests[1]!.messages.at(-1)!)).toContain(
      '"hazard" has a "quote" that does not stand in report or thread',
    );

    const { answer } = await asked(bad, { ...bad, level: 4 });
    expect(answer).toMatchObject({
      state: "answered",
      parts: { hazard: null, hurt: true, level: 4 },
      evidence: { hazard: { found: "never", said: "the bow line parted", value: "mooring" } },
    });
    expect(inWords(answer)).toHaveProperty(
      "notes",
      expect.arrayContaining(["hazard: blank, for the words given as evidence do not stand in the row"]),
    );
  });

  it("keeps what stood where the mend is worse", async () => {
    const bad = { ...GOOD, hazard: { quote: "the bow line parted", value: "mooring" } };
    for (const second of [{ nonsense: 1 }, { ...bad, hurt: { quote: "nobody there", value: true } }])
      expect((await asked(bad, second)).answer).toMatchObject({ state: "answered", parts: { hazard: null, hurt: true, level: 3 } });
  });

  it("needs none where it says nothing: none of the options, no; and takes a bare value for one without words", async () => {
    const { answer } = await asked({ hazard: "unclear", hurt: false, level: 1 });
    expect(answer).toMatchObject({ state: "answered", asks: 1, parts: { hazard: "unclear", hurt: false }, evidence: {} });
    expect((await asked({ ...GOOD, hurt: true }, { ...GOOD, hurt: true })).answer).toMatchObject({ asks: 2, parts: { hurt: null } });
  });

  it("is asked about alone, where it shared a request and its words are not there", async () => {
    const replies = [
      (marks: readonly string[]) => ({
        answers: [
          { row: marks[0], ...GOOD },
          { row: marks[1], ...GOOD },
        ],
      }),
      () => ({ ...GOOD, hazard: { quote: "Quiet night", value: "unclear" }, hurt: { quote: null, value: false } }),
    ];
    const model = scriptedModel((request, index) => {
      const marks = [...messageText(request.messages.at(-1)!).matchAll(/^Row (\S+)$/gm)].map((match) => match[1]!);
      return JSON.stringify(replies[index]!(marks));
    });
    const answers = [];
    for await (const { row: index, answer } of askTogether(prepared, [row, { report: "Quiet night." }], { model, clock: fakeClock() }))
      answers[index] = answer;
    expect(answers[0]).toMatchObject({ asks: 1, evidence: { hazard: { found: "atOnce" } } });
    expect(answers[1]).toMatchObject({ parts: { hazard: "unclear", hurt: false }, evidence: { hazard: { quote: "Quiet night" } } });
  });

  it("quotes the long input itself, not what it was condensed to", async () => {
    const long = `${"All quiet on the car deck. ".repeat(40)}The aft line parted.`;
    const condensed = prepare(
      template({ ...shape, inputs: { ...shape.inputs, report: { kind: "text", maxChars: 300 } }, whenLong: { report: "condense" } }),
    );
    const model = scriptedModel((request) =>
      messageText(request.messages.at(-1)!).includes("Answer with one JSON object") && request.schemaName === "hazard"
        ? JSON.stringify({ ...GOOD, hurt: false })
        : "A line parted.",
    );
    const answer = await askPrepared(condensed, { report: long }, { model, clock: fakeClock() });
    expect(answer.evidence?.["hazard"]).toMatchObject({
      quote: "The aft line parted",
      place: { input: "report", from: long.indexOf("The aft") },
    });
  });

  it("is given by the stand-in, which copies words of the row", async () => {
    const hurt = { ...shape.answer.hurt, about: "Does anybody have to act on this" };
    const told = prepare(template({ ...shape, answer: { ...shape.answer, hurt } }));
    const { evidence, parts } = (await askPrepared(told, row, { model: standin() as never, clock: fakeClock() })) as never as {
      evidence: Record<string, { found: string; quote: string }>;
      parts: object;
    };
    expect(parts).toMatchObject({ hurt: true });
    expect(evidence["hurt"]).toMatchObject({ found: "atOnce", quote: "A deckhand was hurt, please repair the line." });
  });
});

describe("a template whose parts demand evidence", () => {
  const complaints = (text: string): string[] =>
    readTemplate(
      `yoroshi: template/1\nname: t\ninputs: { report: { kind: text } }\ntask: "{{ report }}"\n${text}`,
      "t.yaml",
    ).complaints.map(formatComplaint);

  it("is refused where an input is unknown, a part of a record is called like evidence, or evidence stands inside a part", () => {
    expect(complaints("answer: { a: { kind: text, evidence: { in: [raport] } } }")).toEqual([
      expect.stringContaining("t.yaml:5:45  There is no input `raport`. Inputs: report."),
    ]);
    expect(complaints("answer: { a: { kind: record, evidence: { in: [report] }, parts: { quote: { kind: text } } } }")).toEqual([
      expect.stringContaining("`a.quote` is what a column takes of the evidence"),
    ]);
    expect(complaints("answer: { a: { kind: record, parts: { b: { kind: text, evidence: { in: [report] } } } } }")).toEqual([
      expect.stringContaining("Evidence is demanded of a whole part of the answer: write it at `a`."),
    ]);
  });

  it("carries examples with their words, which must stand in them", () => {
    const withExample = (example: string): string[] =>
      complaints(
        `answer: { a: { kind: number, evidence: { in: [report] } } }\nexamples: [{ inputs: { report: "Twelve, 12." }, answer: { a: 12 }${example} }]`,
      );
    expect(withExample("")).toEqual([expect.stringContaining('it needs the words that carry it: `evidence: { a: "…" }`')]);
    expect(withExample(', evidence: { a: "12" }')).toEqual([]);
    const examples = [
      { inputs: { report: row.report }, answer: { hazard: "mooring", hurt: false, level: 2 }, evidence: { hazard: "aft line parted" } },
    ];
    const turns = prepare(template({ ...shape, examples })).render(row);
    expect(JSON.parse(messageText(turns[2]!))).toEqual({
      hazard: { quote: "aft line parted", value: "mooring" },
      hurt: { quote: null, value: false },
      level: 2,
    });
  });
});

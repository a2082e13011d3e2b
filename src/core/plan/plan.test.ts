import { describe, expect, it } from "vitest";
import { atOnce, formatComplaint } from "../ground/index.js";
import { readTemplate, template as makeTemplate } from "../template/index.js";
import { checkPlan } from "./check-plan.js";
import { readCondition } from "./condition.js";
import { plan, readPlan } from "./read-plan.js";

const PLAN = `yoroshi: plan/1
name: log
table: { file: log.csv, key: id }
steps:
  sort:
    template: sort
    inputs: { note: text }
    fill: { topic: topic, level: level }
    when: row.text != ""
limits: { rows: 500, spend: 2.00, atOnce: 50 }
refill: blank
`;
const { template } = readTemplate(
  "yoroshi: template/1\nname: sort\ninputs: { note: { kind: text }, day: { kind: date, required: false } }\ntask: '{{ note }} {{ day }}'\nanswer: { topic: { kind: yesNo }, level: { kind: number }, who: { kind: record, parts: { name: { kind: text } } } }\n",
  "sort.yaml",
);
const table = { name: "log.csv", columns: ["id", "text", "day"] };

describe("reading a plan", () => {
  it("reads a good one, and fills in what may be left out", () => {
    expect(readPlan(PLAN, "p.yaml").plan).toMatchObject({ name: "log", refill: "blank", limits: { rows: 500, spend: 2, atOnce: 50 } });
    expect(plan({ name: "p", table: { file: "f", key: "k" }, steps: { s: { template: "t", fill: { a: "b" } } } })).toMatchObject({
      refill: "stale",
      limits: {},
      steps: { s: { inputs: {} } },
    });
  });

  it.each([
    ["an unknown key", PLAN.replace("refill", "refil"), "p.yaml:11:1  There is no key `refil` here. Did you mean `refill`?"],
    ["an unknown limit", PLAN.replace("spend", "spent"), "There is no key `spent` here. Did you mean `spend`?"],
    [
      "a value that is none of the stated",
      PLAN.replace("blank", "old"),
      "p.yaml:11:9  `refill`: Expected one of blank, stale, failed, all.",
    ],
    ["a condition that is not CEL", PLAN.replace('row.text != ""', "row.text ="), "p.yaml:9:11  This condition cannot be read as CEL"],
    ["a condition that is not true or false", PLAN.replace('row.text != ""', "size(row.text)"), "its result is int, not true or false"],
    ["a condition about something else", PLAN.replace("row.text", "text"), "there is no `text` by itself. Of a column write `row.text`"],
    [
      "a rule of review that asks for the answer's own by itself",
      `${PLAN.trimEnd()}\nreview: { hold: { grave: parts.level > 3 } }\n`,
      "there is no `parts` by itself. Write `answer.parts`",
    ],
    [
      "a rule of review that asks for a part by itself",
      `${PLAN.trimEnd()}\nreview: { hold: { grave: level > 3 } }\n`,
      "Of a column write `row.level`, of a part `answer.parts.level`",
    ],
    ["a step that fills nothing", PLAN.replace("{ topic: topic, level: level }", "{}"), "Say which column takes which part"],
    [
      "two steps that fill one column",
      PLAN.replace("limits", "  more: { set: { topic: x } }\nlimits"),
      "`topic` is filled by `sort` and by `more`. Give one of them another column.",
    ],
    ["a step that is neither", PLAN.replace("limits", "  more: { when: 'true' }\nlimits"), "The key `set` is missing."],
    [
      "a plain column of Liquid that cannot be read",
      PLAN.replace("limits", "  more: { set: { x: '{{ row.note | shout }}' } }\nlimits"),
      "`x` cannot be made: there is no filter `shout`.",
    ],
    [
      "a plain column of columns without `row`",
      PLAN.replace("limits", "  more: { set: { x: '{{ note }}' } }\nlimits"),
      "there is no `note` here; columns are written `row.note`.",
    ],
    [
      "a plain column of CEL that cannot be read",
      PLAN.replace("limits", "  more: { set: { x: { cel: 'row.a +' } } }\nlimits"),
      "`x` cannot be made:",
    ],
    ["a missing table", PLAN.replace(/table:.*\n/, ""), "The key `table` is missing."],
  ])("complains of %s", (_, text, expected) => {
    expect(readPlan(text, "p.yaml").complaints.map(formatComplaint).join("\n")).toContain(expected);
  });

  it.each([
    [
      "inputs the template lacks",
      PLAN.replace("note: text", "notes: text"),
      "is used, but there is no input `notes`. Did you mean `note`?",
    ],
    ["parts the template lacks", PLAN.replace("level: level", "level: levels"), "The answer has no part `levels`. Did you mean `level`?"],
    [
      "parts of a record that it lacks",
      PLAN.replace("level: level", "level: who.nam"),
      "The answer has no part `who.nam`. Did you mean `who.name`?",
    ],
    ["columns the table lacks", PLAN.replace("note: text", "note: txt"), "log.csv has no column `txt`. Did you mean `text`?"],
    ["a condition on a column the table lacks", PLAN.replace("row.text", "row.txet"), "log.csv has no column `txet`. Did you mean `text`?"],
    ["an input that comes from nowhere", PLAN.replace("{ note: text }", "{}"), "The template needs the input `note`."],
    ["filling the key", PLAN.replace("topic: topic", "id: topic"), "`id` is the key of the table and cannot be filled."],
    ["filling what it reads", PLAN.replace("topic: topic", "text: topic"), "`text` is read and filled by the same step."],
    ["a key the table lacks", PLAN.replace("key: id", "key: no"), "log.csv has no column `no`."],
  ])("held against template and table, complains of %s", (_, text, expected) => {
    const read = readPlan(text, "p.yaml");
    expect(checkPlan(read.plan!, { sort: template! }, read.document!, table).map(formatComplaint).join("\n")).toContain(expected);
  });

  it.each([
    [
      "steps that wait for each other",
      "  a: { set: { x: '{{ row.y }}' } }\n  b: { set: { y: '{{ row.x }}' } }\n",
      "The steps wait for each other: `a` reads `y` of `b`, `b` reads `x` of `a`. Leave one of these out.",
    ],
    ["a plain column that reads itself", "  a: { set: { x: '{{ row.x }}' } }\n", "`x` is read and filled by the same step."],
    [
      "a plain column of one that is not there",
      "  a: { set: { x: '{{ row.txet }}' } }\n",
      "log.csv has no column `txet`. Did you mean `text`?",
    ],
    [
      "a condition on one that is not there",
      "  a: { set: { x: 'y' }, when: 'row.topik == \"yes\"' }\n",
      "log.csv has no column `topik`. Did you mean `topic`?",
    ],
  ])("of several steps, complains of %s", (_, steps, expected) => {
    const read = readPlan(PLAN.replace("limits", `${steps}limits`), "p.yaml");
    expect(read.complaints).toEqual([]);
    expect(checkPlan(read.plan!, { sort: template! }, read.document!, table).map(formatComplaint).join("\n")).toContain(expected);
  });

  const rival = readTemplate(
    "yoroshi: template/1\nname: rival\ninputs: { note: { kind: text } }\ntask: '{{ note }}'\nanswer: { tone: { kind: yesNo } }\n",
    "rival.yaml",
  ).template!;
  it.each([
    ["a part that no answer has", "answer.parts.lewel > 3", "The answer has no part `lewel`. Did you mean `level`?"],
    ["what no answer has", "answer.sure > 3", "`answer.sure` is none of `answer.parts`, `answer.confidence` and `answer.notes`."],
    ["confidence that nobody states", "answer.confidence < 0.5", "is known only where the template has `doubt`"],
    ["parts of two answers", "answer.parts.level > 3.0 && answer.parts.tone", "No single answer has the parts `level`, `tone`."],
    ["another answer's column", "row.tone == 'true' && answer.parts.level > 3.0", "The answer that has `level` does not fill `tone`."],
  ])("of rules of review, complains of %s", (_, rule, expected) => {
    const steps = "  rival: { template: rival, inputs: { note: text }, fill: { tone: tone } }\n";
    const read = readPlan(`${PLAN.replace("limits", `${steps}limits`)}review: { hold: { grave: "${rule}" } }\n`, "p.yaml");
    expect(read.complaints).toEqual([]);
    const complaints = checkPlan(read.plan!, { sort: template!, rival }, read.document!, table).map(formatComplaint).join("\n");
    expect(complaints).toContain(expected);
  });

  it("finds nothing wrong where nothing is", () => {
    const read = readPlan(PLAN, "p.yaml");
    expect(checkPlan(read.plan!, { sort: template! }, read.document!, table)).toEqual([]);
  });
});

describe("a condition", () => {
  it("names its columns and tests rows; what it cannot evaluate is a reason, not an exception", () => {
    const { condition } = readCondition('row.kind == "x" && (double(row["Gauge bar"]) > 4.0 || row.note.contains("!"))');
    expect(condition!.columns).toEqual(["kind", "Gauge bar", "note"]);
    expect(condition!.test({ kind: "x", "Gauge bar": "4.5", note: "" })).toBe(true);
    expect(condition!.test({ kind: "x", "Gauge bar": "3", note: "" })).toBe(false);
    expect(condition!.test({ kind: "x", "Gauge bar": "secret", note: "" })).toMatchObject({
      reason: expect.stringMatching(/^the condition cannot be evaluated/),
    });
    expect(readCondition(`${"(".repeat(200)}true${")".repeat(200)}`).problem).toBeTruthy();
  });
});

describe("scheduling", () => {
  it("runs at most so many at once, and waits for all", async () => {
    const places = atOnce(3);
    let most = 0;
    let done = 0;
    for (let i = 0; i < 20; i++) {
      await places.start(async () => {
        most = Math.max(most, places.running);
        await new Promise((resolve) => setImmediate(resolve));
        done++;
      });
    }
    await places.idle();
    expect([most, done, places.running]).toEqual([3, 20, 0]);
    await places.idle();
  });
});

describe("rules and related rows of a plan", () => {
  const sort = makeTemplate({
    name: "sort",
    inputs: { note: { kind: "text" }, thread: { kind: "rows", columns: { said: "text" } } },
    task: "{{ note }}{{ thread }}",
    answer: { topic: { kind: "choice", options: ["fire", "spill"] }, who: { kind: "record", parts: { name: { kind: "text" } } } },
  });
  const text = (step: string, related = "thread: { table: { file: m.csv }, match: { id: id } }") => `yoroshi: plan/1
name: p
table: { file: t.csv, key: id }
related: { ${related} }
steps:
  s:
    template: sort
    inputs: { note: text, thread: thread }
    fill: { topic: topic, who: who.name }
    ${step}
`;
  const complaintsOf = (step: string, related?: string): string[] => {
    const { plan: read, document, complaints } = readPlan(text(step, related), "p.yaml");
    return [
      ...complaints,
      ...(read && document
        ? checkPlan(read, Object.fromEntries(Object.keys(read.steps).map((name) => [name, sort as never])), document, {
            name: "t.csv",
            columns: ["id", "text"],
          })
        : []),
    ].map(formatComplaint);
  };

  it.each([
    ["nothing", 'clear: [{ when: row.text == "x", give: { topic: Fire, who: { name: me } } }]', undefined, undefined],
    [
      "a value outside its kind",
      "clear: [{ when: 'true', give: { topic: smoke, who: { name: me } } }]",
      undefined,
      "p.yaml:10:44  The value of `topic` does not fit: is none of the options.",
    ],
    [
      "a part that the rule leaves out",
      "clear: [{ when: 'true', give: { topic: fire } }]",
      undefined,
      "The key `who` is missing. A rule gives a value for every part that the step fills.",
    ],
    [
      "a part that does not exist",
      "clear: [{ when: 'true', give: { topic: fire, who: { name: me }, topik: fire } }]",
      undefined,
      "The answer has no part `topik`. Did you mean `topic`?",
    ],
    [
      "a column that does not exist",
      "clear: [{ when: row.txt == 1, give: { topic: fire, who: { name: me } } }]",
      undefined,
      "t.csv has no column `txt`. Did you mean `text`?",
    ],
    ["a rule that is not CEL", "clear: [{ when: 'row.text =', give: {} }]", undefined, "This condition cannot be read as CEL"],
    [
      "a pattern that is none",
      'when: row.text.matches("(a")',
      undefined,
      "`(a` in matches() cannot be used: it is not a regular expression",
    ],
    [
      "a pattern that could take for ever",
      'when: row.text.matches("a(?=b)")',
      undefined,
      "`a(?=b)` in matches() cannot be used: it has a look-ahead `(?=…)`, which could take for ever on some texts",
    ],
    ["related rows without a match", "", "thread: { table: { file: m.csv }, match: {} }", "Say which columns must be the same"],
    ["a match with no column", "", "thread: { table: { file: m.csv }, match: { id: key } }", "t.csv has no column `key`."],
    [
      "rows that nothing gives",
      "",
      "other: { table: { file: m.csv }, match: { id: id } }",
      "`thread` takes rows. Say which: `related: { thread: { table: { file: … }, match: { … } } }`.",
    ],
    [
      "rows named like a column",
      "",
      "thread: { table: { file: m.csv }, match: { id: id } }, text: { table: { file: m.csv }, match: { id: id } }",
      "`text` is a column of t.csv, too.",
    ],
  ])("finds %s", (_, step, related, expected) => {
    const found = complaintsOf(step, related).join("\n");
    if (expected === undefined) expect(found).toBe("");
    else expect(found).toContain(expected);
  });
});

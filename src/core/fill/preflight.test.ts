import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import type { FillSetup } from "../cells/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan } from "../plan/index.js";
import { memoryTable } from "../table/index.js";
import { prepare, template, type Prepared, type TemplateShape } from "../template/index.js";
import { fill } from "./fill.js";
import { preflight } from "./preflight.js";

const setupOf = (
  notes: readonly string[],
  context: number | undefined,
  more: Partial<TemplateShape> = {},
  maxChars?: number,
): FillSetup & { reads: () => number } => {
  const tone = template({
    name: "tone",
    inputs: { note: { kind: "text", ...(maxChars === undefined ? {} : { maxChars }) } },
    task: "Judge. {{ note }}",
    answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
    model: { maxTokens: 20 },
    ...more,
  } as never);
  const table = memoryTable(
    notes.map((note, index) => ({ id: `r${index + 1}`, note })),
    { key: "id" },
  );
  let reads = 0;
  return {
    plan: plan({ name: "log", table: { file: "t.csv", key: "id" }, steps: { tone: { template: "tone", fill: { tone: "tone" } } } }),
    table: { ...table, read: () => (reads++, table.read()) },
    asking: {
      tone: { prepared: prepare(tone) as unknown as Prepared, version: 1, model: scriptedModel(() => '{"tone":"calm"}', { context }) },
    },
    ledger: memoryLedger(),
    clock: fakeClock(),
    reads: () => reads,
  };
};
const problemsOf = async (setup: FillSetup, options = {}): Promise<string[]> =>
  (await preflight(setup, { probe: false, ...options })).map(({ message }) => message);
const LONG = "word ".repeat(400);

describe("before the first request, rows that are too long for their model", () => {
  it("are counted, named, and said how to deal with", async () => {
    const setup = setupOf(["short", LONG, `${LONG}${LONG}`, "short"], 400);
    const [told, ...others] = await problemsOf(setup);
    expect(others).toEqual([]);
    expect(told).toMatch(
      /^2 rows of the step tone would not fit the model scripted, which has room for 400 tokens \(r2, r3\); the longest is r3 with about 1,\d\d\d\./,
    );
    expect(told).toContain("`maxChars` with `whenLong`");
  });

  it("count by the tokenizer that is given, which is loaded only where it is needed", async () => {
    let loads = 0;
    const tokenizer = async () => (loads++, (text: string) => text.split(/\s+/).length);
    expect(await problemsOf(setupOf([LONG], 400), { tokenizer })).toHaveLength(1);
    expect(await problemsOf(setupOf([LONG], 700), { tokenizer })).toEqual([]);
    expect(loads).toBe(2);
    expect(await problemsOf(setupOf([LONG], undefined), { tokenizer })).toEqual([]);
    expect(loads).toBe(2);
  });

  it("are not looked for where the template's limits leave no doubt, or nothing would be asked", async () => {
    const bound = setupOf(["short", "short"], 900, {}, 100);
    expect(await problemsOf(bound)).toEqual([]);
    expect(bound.reads()).toBe(1); // to see that it can be read
    const cut = setupOf([LONG], 500, { whenLong: { note: "condense" } }, 200);
    expect(await problemsOf(cut)).toEqual([]);
    expect(await problemsOf(setupOf([LONG, "short"], 400), { only: ["r2"] })).toEqual([]);
    const done = setupOf(["short"], 400);
    await fill(done);
    const before = done.reads();
    expect(await problemsOf(done)).toEqual([]);
    expect(done.reads()).toBe(before + 1);
  });
});

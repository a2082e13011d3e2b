import { describe, expect, it } from "vitest";
import { memoryTable } from "../table/index.js";
import { prepare, template, versionText } from "../template/index.js";
import { checkPlan, readPlan } from "./index.js";

const shape = {
  name: "tone",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
} as const;

describe("what is offered to chat assistants", () => {
  it("is said by a template, and changes neither its version nor what it asks", () => {
    const offered = { ...shape, offer: ["tools"] } as const;
    expect(template(offered).offer).toEqual(["tools"]);
    expect(versionText(template(offered) as never)).toBe(versionText(template(shape) as never));
    expect(prepare(template(offered)).fingerprint).toBe(prepare(template(shape)).fingerprint);
    expect(() => template({ ...shape, offer: ["everybody"] as never })).toThrow(/Expected tools/);
  });

  it("is said by a plan, of columns that its table has or that it fills", async () => {
    const text = `yoroshi: plan/1
name: tones
table: { file: notes.csv, key: id }
steps: { tone: { template: tone, inputs: { note: text }, fill: { tone: tone } } }
offer: { columns: [id, tone, txet] }
`;
    const { plan, document, complaints } = readPlan(text, "tones.yaml");
    expect(complaints).toEqual([]);
    expect(plan!.offer).toEqual({ columns: ["id", "tone", "txet"] });
    const columns = await memoryTable([{ id: "1", text: "x" }], { key: "id" }).columns();
    expect(checkPlan(plan!, { tone: template(shape) as never }, document!, { name: "notes.csv", columns })).toMatchObject([
      { code: "unknownColumn", place: { line: 5, column: 30 }, message: expect.stringContaining("Did you mean `text`") },
    ]);
    expect(readPlan(text.replace("[id, tone, txet]", "[]"), "tones.yaml").complaints).toMatchObject([{ place: { line: 5 } }]);
  });
});

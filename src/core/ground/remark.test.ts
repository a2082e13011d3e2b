import * as z from "zod/mini";
import { describe, expect, it } from "vitest";
import { keptRemark, remark, REMARKS, sameRemark, sentenceOf, withoutFigures, type Remark } from "./remark.js";
import { keep, readKept, type StoredForm } from "./stored.js";

describe("a remark", () => {
  it("is plain data: what is kept of it is read back as it was, sentence and all", () => {
    const told = remark("about", {
      name: "note",
      remark: remark("notRenewed", { because: remark("malformed", { problems: ["a", "b"] }) }),
    });
    const back = keptRemark(JSON.parse(JSON.stringify(told)));
    expect(back).toEqual(told);
    expect(sentenceOf(back)).toBe("note: not renewed: the answer did not fit, nor did the second try: a; b");
  });

  it.each([
    ["not renewed: the model refused", "notRenewed"],
    ["because: an old value, since its renewal failed", "about"],
    ["mended", "mended"],
    ["in doubt, so careful was asked", "inDoubt"],
    ["the second look changed tone, level", "lookedChanged"],
    ["note condensed from 1,234 to 400 characters in 4 pieces", "condensed"],
    ["note condensed from 700 to 400 characters in 1 piece", "condensed"],
    ["the crew wrote nothing", "told"],
    ["fenced", "told"],
  ])("that the first versions kept as %j is %s, and says the same", (sentence, code) => {
    const read = keptRemark(sentence);
    expect([read.code, sentenceOf(read)]).toEqual([code, sentence]);
    expect(sameRemark(read, remark("told", { text: sentence }))).toBe(true);
  });

  it("loses only the figures in which rows differ", () => {
    const told = remark("about", { name: "thread", remark: remark("relatedLeft", { kept: 20, of: 31 }) });
    expect(sentenceOf(withoutFigures(told))).toBe("thread: only … of … rows, by its limit");
    expect(sentenceOf(withoutFigures(remark("ruled", { rule: 2 })))).toBe("settled by rule 2");
    expect(sentenceOf(withoutFigures(remark("editedUnfit", { problem: "is not a whole number from 1 to 5" })))).toContain("from 1 to 5");
  });

  it("of a newer version is told by its code; two that say the same are the same", () => {
    expect(sentenceOf({ code: "someNewThing", text: "x" } as never as Remark)).toBe("someNewThing");
    expect(sameRemark(remark("conditionFails"), remark("told", { text: "the condition does not hold" }))).toBe(true);
    expect(sameRemark(remark("conditionFails"), undefined)).toBe(false);
    expect(sameRemark(undefined, undefined)).toBe(true);
    expect(Object.keys(REMARKS).length).toBeGreaterThan(40);
  });
});

describe("what is stored", () => {
  const FORM: StoredForm<{ readonly rows: number; readonly key?: string | undefined }> = {
    format: 2,
    schema: z.object({ rows: z.number(), key: z.optional(z.string()) }),
  };

  it("has the number of its form, and is read back only in that form", () => {
    const kept = keep(FORM, { rows: 3 });
    expect(kept).toEqual({ format: 2, rows: 3 });
    expect(readKept(FORM, kept)).toEqual({ rows: 3 });
    for (const other of [undefined, null, 7, [kept], { rows: 3 }, { format: 1, rows: 3 }, { format: 3, rows: 3 }, { format: 2, rows: "3" }])
      expect(readKept(FORM, other as never)).toBeUndefined();
    // What was kept before there were numbers has the first form.
    expect(readKept({ ...FORM, format: 1 }, { rows: 3 })).toEqual({ rows: 3 });
  });
});

import { describe, expect, it } from "vitest";
import { readExpression, readFormula } from "./expression.js";
import { pattern, patternProblem, patternsReady } from "./pattern.js";

const answers = async (source: string, value: Record<string, unknown>): Promise<unknown> => {
  const { expression, problem } = readExpression(source, "row");
  if (!expression) return problem;
  await patternsReady();
  return expression.test(value);
};

describe("patterns", () => {
  it("are matched in time that grows with the text, whatever they are", async () => {
    expect(patternProblem("^(a+)+$")).toBeUndefined();
    await patternsReady();
    // An engine that goes back would need longer than the universe is old.
    expect(pattern("^(a+)+$").test(`${"a".repeat(5_000)}!`)).toBe(false);
    expect(pattern("(x+x+)+y").test("x".repeat(5_000))).toBe(false);
    expect(await answers('row.text.matches("^(([a-z])+.)+[A-Z]([a-z])+$")', { text: "a".repeat(5_000) })).toBe(false);
  });

  it("mean what they mean elsewhere: classes, names, scripts, escapes, flags", async () => {
    const rows: [string, string, boolean][] = [
      ["^\\d{3}-\\w+$", "123-ab", true],
      ["\\u00e9t\\u{e9}", "un été", true],
      ["\\p{Script=Greek}+", "αβγ", true],
      ["\\p{L}\\s\\p{Lu}", "ß Ä", true],
      ["(?<year>\\d{4})", "in 2026", true],
      ["(?i)FIRE", "a fire", true],
      ["^$", "", true],
      ["a/b\\-c", "a/b-c", true],
      ["\\bend\\b", "bending", false],
      ["\\\\1", "\\1", true],
    ];
    for (const [source] of rows) expect(patternProblem(source)).toBeUndefined();
    await patternsReady();
    for (const [source, text, holds] of rows) expect([source, pattern(source).test(text)]).toEqual([source, holds]);
  });

  it.each([
    ["a(?=b)", "look-ahead"],
    ["a(?!b)", "look-ahead"],
    ["(?<=a)b", "look-behind"],
    ["(?<!a)b", "look-behind"],
    ["(a)\\1", "back-reference"],
    ["(?<n>a)\\k<n>", "back-reference"],
    ["x{5000}", "repetition"],
    ["(", "not a regular expression"],
    ["[z-a]", "not a regular expression"],
  ])("%s is refused by name", (source, name) => {
    expect(patternProblem(source)).toContain(name);
    expect(readExpression(`row.text.matches(${JSON.stringify(source)})`, "row").problem).toContain(name);
  });

  it("that a column gives are refused for their row", async () => {
    expect(await answers("row.text.matches(row.own)", { text: "aa", own: "(a)\\1" })).toMatchObject({
      reason: expect.stringContaining("back-reference") as string,
    });
    expect(await answers("row.text.matches(row.own)", { text: "aa", own: "^a+$" })).toBe(true);
  });

  it("leave the word alone where it is none: in quotes, as a column", async () => {
    expect(
      await answers('row.text == ".matches(" && row["matches"] == \'x.matches("y")\'', { text: ".matches(", matches: 'x.matches("y")' }),
    ).toBe(true);
    expect(readExpression("row.text.matches()", "row").problem).not.toContain("matchRE");
    expect(readExpression("row.text.matches(5)", "row").problem ?? "none").not.toContain("matchRE");
  });
});

describe("an expression", () => {
  it("that would loop over loops for ever is not evaluated, and says so", async () => {
    const rows = Array.from({ length: 1_000 }, (_, n) => ({ n: String(n) }));
    const deep = 'row.all.exists(a, row.all.exists(b, row.all.exists(c, a.n == b.n && b.n == c.n && c.n == "x")))';
    expect(await answers(deep, { all: rows })).toEqual({
      reason: expect.stringMatching(/^would take too many steps for this row: its loops stand 3 deep/) as string,
    });
    expect(await answers(deep, { all: rows.slice(0, 20) })).toBe(false);
    expect(await answers('row.all.exists(a, a.n == "7")', { all: rows })).toBe(true);
    expect(
      await answers('row.text.split("").exists(a, row.text.split("").exists(b, row.text.split("").exists(c, a + b == c)))', {
        text: "x".repeat(2_000),
      }),
    ).toMatchObject({ reason: expect.stringContaining("too many steps") as string });
    expect(readFormula("row.a + 1", "row").problem).toBeUndefined();
  });
});

import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { quotedFrom } from "./evidence.js";
import { quotable } from "./find-quotation.js";

const foundIn = (text: string, quotation: string): string | undefined => {
  const span = quotable(text).find(quotation);
  return span && text.slice(span.from, span.to);
};

describe("a quotation in a text", () => {
  it.each([
    ["white space and typographic quotes", "The “aft”  line\nparted.", 'the "aft" line', "The “aft”  line"],
    ["hyphens of all lengths", "from 10–12 o’clock", "10-12 o'clock", "10–12 o’clock"],
    ["a word that a line broke", "needs mainte-\nnance now", "maintenance", "mainte-\nnance"],
    ["a hyphen that a line ended with", "a well-\nknown leak", "well-known leak", "well-\nknown leak"],
    ["letters with their marks apart", "the e\u0301clair", "éclair", "e\u0301clair"],
    ["letters that print as one", "a ﬁne crack", "fine crack", "ﬁne crack"],
    ["characters that nobody sees", "hy\u00addraulic\u200b oil", "hydraulic oil", "hy\u00addraulic\u200b oil"],
    ["quotation marks and dots around it", "the line parted", "“The line parted…”", "the line parted"],
    ["no spaces between words", "冷却水温度が高いです", "温度が高い", "温度が高い"],
    ["pairs of surrogates", "calm 😀 sea", "😀 sea", "😀 sea"],
    ["a capital that has two small letters", "at İzmir quay", "İzmir quay", "İzmir quay"],
  ])("is found whatever %s", (_, text, quotation, found) => {
    expect(foundIn(text, quotation)).toBe(found);
  });

  it.each([
    ["other words", "the line parted", "the rope parted"],
    ["words left out", "the aft line parted", "the line parted"],
    ["a piece of a word", "start again", "art"],
    ["a piece of a number", "at 1.5 m", "1"],
    ["the end of a number", "at 1.5 m", ".5 m"],
    ["a number of more digits", "room 210", "room 21"],
    ["signs alone", "so - what", "-"],
    ["nothing", "so what", " "],
    ["digits that a hyphen parts", "deck 3-5", "deck 35"],
  ])("is not found for %s", (_, text, quotation) => {
    expect(foundIn(text, quotation)).toBeUndefined();
  });

  // The engine of patterns looks through the text itself, without any folding.
  const bySearch = (text: string, quotation: string): boolean => {
    const pattern = [...quotation.trim().replace(/^["“”'\s]+|["“”'\s]+$/g, "")]
      .join("")
      .replace(/[.*+?^${}()|[\]\\]/g, "\\$&")
      .replace(/\s+/g, "\\s+")
      .replace(/["“”']/g, "[\"“”']")
      .replace(/[-–—]/g, "[-–—]");
    return /[a-z]/i.test(quotation) && new RegExp(`(?<![a-z])${pattern}(?![a-z])`, "i").test(text);
  };
  const crumbs = fc
    .array(fc.constantFrom("a", "b", "B", " ", "  ", "\n", "-", "–", '"', "“", "'", "."), { maxLength: 24 })
    .map((all) => all.join(""));

  it("is found exactly when it is there", () => {
    fc.assert(
      fc.property(crumbs, crumbs, (text, quotation) => {
        // A hyphen at a line's end, or at an edge of the quotation, is a case of its own, above.
        fc.pre(!/[-–]\s|[-–.]$|^[-–.]|["“'][\s"“']*[-–.]/.test(text) && !/[-–]\s|^[\s"“']*[-–.]|[-–.][\s"“']*$/.test(quotation));
        expect(foundIn(text, quotation) !== undefined).toBe(bySearch(text, quotation));
      }),
      { numRuns: 5_000 },
    );
  });

  it("is found with its place in any text that holds it", () => {
    const word = fc.stringMatching(/^[\p{L}\p{N}]{1,8}$/u);
    fc.assert(
      fc.property(
        fc.array(word, { minLength: 3, maxLength: 30 }),
        fc.nat(),
        fc.nat(),
        fc.constantFrom(" ", "\n", "  "),
        (words, a, b, space) => {
          const text = words.join(space);
          const from = a % words.length;
          const own = words.slice(from, from + 1 + (b % (words.length - from)));
          const span = quotable(text).find(own.join(" ").toUpperCase());
          // Capitals of some letters are two letters, and do not lead back.
          fc.pre(own.join(" ").toUpperCase().toLowerCase() === own.join(" ").toLowerCase());
          expect(span && text.slice(span.from, span.to).toLowerCase()).toBe(own.join(space).toLowerCase());
        },
      ),
    );
  });
});

describe("a quotation in a row's inputs", () => {
  const inputs = {
    report: "The line parted at six.",
    thread: [
      { at: "2026-01-02", said: "Was anybody hurt?" },
      { at: "2026-01-03", said: "Nobody was. The line parted, that is all." },
    ],
    count: 12,
  };

  it("is looked for in the inputs in their order, and told with row and column", () => {
    const quoted = quotedFrom(inputs);
    expect(quoted.find("the line parted", ["thread", "report"])).toEqual({
      quote: "The line parted",
      place: { input: "thread", row: 2, column: "said", from: 12, to: 27 },
    });
    expect(quoted.find("the line parted", ["report"])?.place).toEqual({ input: "report", from: 0, to: 15 });
    expect(quoted.find("12", ["count"])?.quote).toBe("12");
    expect(quoted.find("hurt? Nobody", ["thread"])).toBeUndefined();
    expect(quoted.find("parted", [])).toBeUndefined();
  });
});

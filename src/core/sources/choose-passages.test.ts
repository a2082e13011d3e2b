import { describe, expect, it } from "vitest";
import { choosePassages } from "./choose-passages.js";

/** A paragraph of its own length, about one thing. */
const paragraph = (about: string, words = 60): string => `${about}. ${Array.from({ length: words }, (_, n) => `word${n}`).join(" ")}.`;

describe("passages that are chosen", () => {
  it("are all where there is room, without what surrounds them", async () => {
    expect(await choosePassages(["\n One. \n\n Two. ", "Three."], "anything", 100)).toEqual(["One. \n\n Two.", "Three."]);
  });

  it("have most to do with what is asked, in their order, with marks where something is left out", async () => {
    const text = [
      paragraph("The harbour has three quays"),
      paragraph("Mooring fees are 12 a metre"),
      paragraph("Seagulls"),
      paragraph("The master decides"),
      paragraph("Whoever leaves pays mooring fees first"),
    ].join("\n\n");
    const [left] = await choosePassages([text], "What are the mooring fees?", 1_000);
    expect(left).toMatch(/^…\nMooring fees[\s\S]*\n…\nWhoever leaves/);
    expect(left).not.toMatch(/quays|Seagulls|master/);
  });

  it("are of any of the texts; one that has nothing to do with it is blank", async () => {
    const texts = [paragraph("Opening hours of the pharmacy", 80), paragraph("The tide is high", 80)];
    const [hours, tide] = await choosePassages(texts, "When does the pharmacy open? Its opening hours.", 700);
    expect(hours).toMatch(/^Opening hours/);
    expect(tide).toBe("");
  });

  it("are never more than there is room for, however the text is made", async () => {
    const texts = [
      "A line without an end ".repeat(400),
      Array.from({ length: 300 }, (_, n) => `Line ${n} of a list`).join("\n"),
      Array.from({ length: 40 }, (_, n) => paragraph(`Part ${n}`, n)).join("\n\n"),
    ];
    for (const room of [0, 40, 1_000, 5_000]) {
      const left = await choosePassages(texts, "a list with an end", room);
      // Marks of what is left out, and what joins passages, are not counted.
      const words = left.join("").replace(/\n\n|\n?…\n/g, "");
      expect(words.length).toBeLessThanOrEqual(room);
    }
  });

  it("are cut at a line or a sentence where a paragraph is long", async () => {
    const sentences = Array.from({ length: 60 }, (_, n) => `Sentence ${n} tells of ${n === 41 ? "the rudder" : "the sea"} and ends here.`);
    const [left] = await choosePassages([sentences.join(" ")], "rudder", 750);
    expect(left).toContain("Sentence 41 tells of the rudder and ends here.");
    expect(left).toMatch(/^…\nSentence \d+/);
    expect(left).toMatch(/ends here\.$/);
  });

  it("come in their order where none has a word in common with what is asked", async () => {
    const text = [paragraph("First", 80), paragraph("Second", 80), paragraph("Third", 80)].join("\n\n");
    const [left] = await choosePassages([text], "qqxxzz", 1_250);
    expect(left).toMatch(/^First[\s\S]*\n\nSecond/);
    expect(left).not.toContain("Third");
  });
});

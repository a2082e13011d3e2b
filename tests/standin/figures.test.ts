import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { ask, prepare, systemClock, template, type TemplateShape } from "../../src/index.js";
import { readWordSense, standin } from "../../src/core/standin/index.js";
import { shapeOf, spearman, TABLES, type LabelledTable } from "./tables.mjs";

const sense = readWordSense(readFileSync(new URL("../../data/words.bin", import.meta.url)));
const clock = systemClock();

interface Figures {
  readonly choice: number;
  readonly near: number;
  readonly ranks: number;
  readonly answer: number;
}

/** Shares of right answers on a table that people labelled. */
async function figuresOf(table: LabelledTable, isBare = false): Promise<Figures> {
  const prepared = prepare(template(shapeOf(table, isBare) as TemplateShape));
  const [scores, labels]: [number[], number[]] = [[], []];
  let [choice, near, answer] = [0, 0, 0];
  for (const row of table.rows) {
    const { parts } = await ask(prepared, { text: row.text } as never, { model: standin({ sense }), clock });
    const { choice: option, score, answer: yes } = parts as object as { choice: string; score: number; answer: boolean };
    if (option === row.choice) choice++;
    if (Math.abs(score - row.score) <= 1) near++;
    if (yes === row.answer) answer++;
    scores.push(score);
    labels.push(row.score);
  }
  const share = (count: number): number => count / table.rows.length;
  return { choice: share(choice), near: share(near), ranks: spearman(scores, labels), answer: share(answer) };
}

describe("the stand-in on tables of fields that it knows nothing of", () => {
  it.each(Object.keys(TABLES) as (keyof typeof TABLES)[])("%s: described options, points and answers are mostly right", async (name) => {
    const figures = await figuresOf(TABLES[name]);
    process.stdout.write(
      `stand-in on ${name}: ${(figures.choice * 100).toFixed(0)} % of choices, ${(figures.near * 100).toFixed(0)} % of scores within one (rank correlation ${figures.ranks.toFixed(2)}), ${(figures.answer * 100).toFixed(0)} % of yes and no\n`,
    );
    expect(figures.choice).toBeGreaterThanOrEqual(0.6);
    expect(figures.answer).toBeGreaterThanOrEqual(0.75);
    expect(figures.ranks).toBeGreaterThanOrEqual(0.4);
    expect(figures.near).toBeGreaterThanOrEqual(0.7);
  });

  it("answers better where the points of a scale, the options and the two answers say what they mean", async () => {
    const [bare, described] = [await figuresOf(TABLES.hotel, true), await figuresOf(TABLES.hotel)];
    expect(described.near - bare.near).toBeGreaterThan(0.3);
    expect(described.ranks - bare.ranks).toBeGreaterThan(0.5);
    expect(described.choice - bare.choice).toBeGreaterThan(0.1);
    expect(described.answer - bare.answer).toBeGreaterThan(0.2);
  });

  it("takes what works again for no fault", async () => {
    const prepared = prepare(
      template({
        name: "fault",
        inputs: { text: { kind: "text" } },
        task: "{{ text }}",
        answer: {
          urgency: {
            kind: "score",
            from: 1,
            to: 5,
            scale: { 1: "nothing has to be done: a question, thanks, or it is over", 5: "somebody may be hurt" },
          },
          act: {
            kind: "yesNo",
            about: "Does somebody have to act? yes: something is broken and must be repaired; no: it is mended, or a question",
          },
        },
      }),
    );
    const of = async (text: string): Promise<unknown> => (await ask(prepared, { text }, { model: standin({ sense }), clock })).parts;
    expect(await of("The lift works again, thanks.")).toEqual({ urgency: 1, act: false });
    expect(await of("The lift does not work and my father is trapped in it.")).toMatchObject({ act: true });
  });
});

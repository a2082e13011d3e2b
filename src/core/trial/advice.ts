import type { Confidence } from "../answer/index.js";
import type { PartGrade } from "./grade.js";
import type { Sample } from "./samples.js";
import type { Steadiness } from "./steadiness.js";

/** Two values that are taken for each other, and the words by which their rows stand out. */
export interface ConfusedPair {
  readonly part: string;
  readonly right: string;
  readonly answered: string;
  readonly rows: number;
  readonly ids: readonly string[];
  /** Words that occur in these rows far more often than in all others. */
  readonly words: readonly string[];
}

/** A label that may be the labeller's mistake: the answer is sure and steady, and another. */
export interface DoubtfulLabel {
  readonly id: string;
  readonly part: string;
  readonly label: string;
  readonly answer: string;
  readonly why: string;
}

export interface Advice {
  readonly confused: readonly ConfusedPair[];
  readonly labels: readonly DoubtfulLabel[];
}

const MOST_PAIRS = 5;
const MOST_WORDS = 6;
const LEAST_ROWS = 2;
const SURE = 0.9;

interface Disagreed {
  readonly id: string;
  readonly part: string;
  readonly truth: string;
  readonly answer: string | null;
}

/** What the rows that disagree have in common. */
export function adviseOn(
  parts: readonly PartGrade[],
  samples: readonly Sample[],
  disagreements: readonly Disagreed[],
  confidences: ReadonlyMap<string, Confidence>,
  steady: readonly Steadiness[],
): Advice {
  const texts = new Map(
    samples.map((sample) => [
      sample.id,
      wordsOf(
        Object.values(sample.inputs)
          .filter((value) => typeof value === "string")
          .join(" "),
      ),
    ]),
  );
  // Neighbouring points of a scale are taken for each other as a matter of course.
  const classes = new Set(parts.filter((part) => part.confusion && !part.numbers).map((part) => part.part));
  const groups = new Map<string, Disagreed[]>();
  for (const one of disagreements) {
    if (one.answer === null || !classes.has(one.part)) continue;
    const key = JSON.stringify([one.part, one.truth, one.answer]);
    groups.set(key, [...(groups.get(key) ?? []), one]);
  }
  const confused = [...groups.values()]
    .filter((rows) => rows.length >= LEAST_ROWS)
    .sort((a, b) => b.length - a.length)
    .slice(0, MOST_PAIRS)
    .map((rows) => ({
      part: rows[0]!.part,
      right: rows[0]!.truth,
      answered: rows[0]!.answer!,
      rows: rows.length,
      ids: rows.map(({ id }) => id),
      words: tellingWords(
        rows.map(({ id }) => id),
        texts,
      ),
    }));
  const labels = disagreements.flatMap((one): DoubtfulLabel[] => {
    if (one.answer === null) return [];
    const confidence = confidences.get(one.id);
    const sure = confidence?.parts?.[one.part] ?? confidence?.value;
    const rounds = steady.find((part) => part.part === one.part);
    const isSteady = rounds !== undefined && !rounds.least.some(({ id }) => id === one.id);
    if (!(
      (sure !== undefined && sure >= SURE && (rounds === undefined || isSteady)) ||
      (sure === undefined && isSteady && rounds.asks >= 3)
    ))
      return [];
    const why = [sure === undefined ? "" : `confidence ${sure.toFixed(2)}`, isSteady ? `the same in ${rounds.asks} asks` : ""]
      .filter((told) => told !== "")
      .join(", ");
    return [{ id: one.id, part: one.part, label: one.truth, answer: one.answer, why }];
  });
  return { confused, labels };
}

function wordsOf(text: string): Set<string> {
  return new Set(text.toLowerCase().match(/\p{L}{4,}/gu) ?? []);
}

/** Words whose share of rows here is highest above their share elsewhere; each must occur in two rows, or in all. */
function tellingWords(ids: readonly string[], texts: ReadonlyMap<string, ReadonlySet<string>>): string[] {
  const inside = new Set(ids);
  const counts = new Map<string, { here: number; elsewhere: number }>();
  for (const [id, words] of texts) {
    for (const word of words) {
      const count = counts.get(word) ?? { here: 0, elsewhere: 0 };
      if (inside.has(id)) count.here++;
      else count.elsewhere++;
      counts.set(word, count);
    }
  }
  const others = Math.max(1, texts.size - ids.length);
  return [...counts]
    .map(([word, { here, elsewhere }]) => ({ word, here, lift: here / ids.length - elsewhere / others }))
    .filter(({ here, lift }) => here >= Math.min(2, ids.length) && lift > 0.15)
    .sort((a, b) => b.lift - a.lift || a.word.localeCompare(b.word))
    .slice(0, MOST_WORDS)
    .map(({ word }) => word);
}

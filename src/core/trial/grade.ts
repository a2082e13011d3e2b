import { canonicalJson, type Json } from "../ground/index.js";
import type { NamedShape, Prepared } from "../template/index.js";
import type { Sample } from "./samples.js";
import { wilson, type Interval } from "../statistics/index.js";

/** How often each right value (rows) was answered by each value (columns); the last column is "no answer". */
export interface Confusion {
  readonly labels: readonly string[];
  readonly counts: readonly (readonly number[])[];
}

export interface PartGrade {
  readonly part: string;
  readonly kind: string;
  /** Samples with a right value for this part. */
  readonly graded: number;
  readonly right: number;
  /** Samples without an answer; they count as wrong. */
  readonly unanswered: number;
  /** Share of right answers, and its 95 % Wilson interval. `null` when nothing was graded. */
  readonly accuracy: number | null;
  readonly interval: Interval;
  /** Mean absolute error of scores and numbers, over answered samples. */
  readonly meanAbsoluteError?: number | undefined;
  readonly confusion?: Confusion | undefined;
  /** Whether each graded sample was right, in the samples' order by id; kept to compare versions row by row. */
  readonly verdicts: Readonly<Record<string, boolean>>;
}

export interface Disagreement {
  readonly id: string;
  readonly place: string;
  readonly part: string;
  readonly truth: string;
  /** What the model answered; `null` when there is no answer. */
  readonly answer: string | null;
  /** The model's own reason, where the template asks for one before the part; else why there is no answer. */
  readonly why: string | undefined;
}

/** A sample's typed answer, or why there is none. */
export type Graded = { readonly parts: Readonly<Record<string, Json>> } | { readonly reason: string };

const MOST_CONFUSION_LABELS = 30;

/** Grades answers against right values, part by part. Values are compared as typed values; text by its words. */
export function grade(prepared: Prepared, graded: readonly string[], samples: readonly Sample[], answers: readonly Graded[]): { parts: PartGrade[]; disagreements: Disagreement[] } {
  const disagreements: Disagreement[] = [];
  const parts = prepared.parts.filter((part) => graded.includes(part.name)).map((part) => gradePart(prepared, part, samples, answers, disagreements));
  return { parts, disagreements };
}

function gradePart(prepared: Prepared, part: NamedShape, samples: readonly Sample[], answers: readonly Graded[], disagreements: Disagreement[]): PartGrade {
  const verdicts: Record<string, boolean> = {};
  const pairs: { truth: Json; answer: Json | undefined }[] = [];
  const reasonPart = reasonBefore(prepared, part);
  let right = 0;
  samples.forEach((sample, index) => {
    const truth = sample.truth[part.name];
    if (truth === undefined) return;
    const given = answers[index]!;
    const answer = "parts" in given ? given.parts[part.name] : undefined;
    const isRight = answer !== undefined && sameValue(part, truth, answer);
    verdicts[sample.id] = isRight;
    pairs.push({ truth, answer });
    if (isRight) right++;
    else {
      const why = "parts" in given ? (reasonPart && String(given.parts[reasonPart])) : given.reason;
      disagreements.push({ id: sample.id, place: sample.place, part: part.name, truth: part.toCell(truth), answer: answer === undefined ? null : part.toCell(answer), why });
    }
  });
  const total = pairs.length;
  const answered = pairs.filter((pair) => pair.answer !== undefined);
  const numeric = part.kind.kind === "score" || part.kind.kind === "number";
  return {
    part: part.name,
    kind: part.kind.kind,
    graded: total,
    right,
    unanswered: total - answered.length,
    accuracy: total === 0 ? null : right / total,
    interval: wilson(right, total),
    meanAbsoluteError: numeric && answered.length > 0 ? answered.reduce((sum, pair) => sum + Math.abs((pair.answer as number) - (pair.truth as number)), 0) / answered.length : undefined,
    confusion: confusionOf(part, pairs),
    verdicts,
  };
}

/** Typed equality; choices whatever their order; text is compared without case, spacing and punctuation at its ends. */
function sameValue(part: NamedShape, truth: Json, answer: Json): boolean {
  // Which options were chosen counts, not in which order they were named.
  if (part.kind.kind === "choices") return canonicalJson((truth as string[]).toSorted()) === canonicalJson((answer as string[]).toSorted());
  if (part.kind.kind !== "text") return canonicalJson(truth) === canonicalJson(answer);
  const plain = (value: Json): string => String(value).normalize("NFKC").toLowerCase().replace(/[\s\p{P}]+/gu, " ").trim();
  return plain(truth) === plain(answer);
}

/** The nearest text part that the model wrote before this one. */
function reasonBefore(prepared: Prepared, part: NamedShape): string | undefined {
  const before = prepared.parts.slice(0, prepared.parts.indexOf(part));
  return before.findLast((candidate) => candidate.kind.kind === "text")?.name;
}

function confusionOf(part: NamedShape, pairs: readonly { truth: Json; answer: Json | undefined }[]): Confusion | undefined {
  if (!["choice", "yesNo", "score"].includes(part.kind.kind)) return undefined;
  const cells = pairs.map(({ truth, answer }) => ({ truth: part.toCell(truth), answer: answer === undefined ? undefined : part.toCell(answer) }));
  const used = new Set(cells.flatMap(({ truth, answer }) => (answer === undefined ? [truth] : [truth, answer])));
  const stated = (part.schema as { options?: readonly string[] }).options;
  const labels = stated && part.kind.kind === "choice" ? stated.filter((label) => used.has(label)) : [...used].sort((a, b) => a.localeCompare(b, "en", { numeric: true }));
  if (labels.length > MOST_CONFUSION_LABELS) return undefined;
  const counts = labels.map(() => Array.from({ length: labels.length + 1 }, () => 0));
  for (const { truth, answer } of cells) {
    const column = answer === undefined ? labels.length : labels.indexOf(answer);
    counts[labels.indexOf(truth)]![column]!++;
  }
  return { labels, counts };
}

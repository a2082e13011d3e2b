import { canonicalJson, type Json } from "../ground/index.js";
import { around, type Evidence } from "../sources/index.js";
import { classReport, countConfusion, wilson, type ClassReport, type ConfusionCounts, type Interval } from "../statistics/index.js";
import { partAt, type NamedShape, type Prepared } from "../template/index.js";
import { kindFigures, type GradeOptions, type KindFigures, type Pair } from "./figures.js";
import type { Sample } from "./samples.js";

/** How good the answers were in one part. */
export interface PartGrade extends KindFigures {
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
  /** How often each right value was answered by each value; for choices, scores and yes-or-no of not too many values. */
  readonly confusion?: ConfusionCounts | undefined;
  readonly classes?: ClassReport | undefined;
  /** Whether each graded sample was right, by id; kept to compare contestants row by row. */
  readonly verdicts: Readonly<Record<string, boolean>>;
}

export interface Disagreement {
  readonly id: string;
  readonly place: string;
  readonly part: string;
  readonly truth: string;
  /** What was answered; `null` when there is no answer. */
  readonly answer: string | null;
  /** The model's own reason, where the template asks for one before the part; else why there is no answer. */
  readonly why?: string | undefined;
  /** The words that carry the answer, with what stands around them, where evidence is demanded and was found. */
  readonly words?: { readonly quote: string; readonly before: string; readonly behind: string } | undefined;
}

/** A sample's typed answer, or why there is none. */
export type Graded =
  | { readonly parts: Readonly<Record<string, Json>>; readonly evidence?: Readonly<Record<string, Evidence>> | undefined }
  | { readonly reason: string };

const MOST_CONFUSION_LABELS = 30;

/** Grades answers against right values, part by part. Values are compared as typed values; text by its words. */
export function grade(
  prepared: Prepared,
  graded: readonly string[],
  samples: readonly Sample[],
  answers: readonly Graded[],
  options: GradeOptions = {},
): { parts: PartGrade[]; disagreements: Disagreement[] } {
  const disagreements: Disagreement[] = [];
  const shapes = graded.flatMap((name) => partAt(prepared.parts, name) ?? []);
  const parts = shapes.map((part) => gradePart(prepared, part, samples, answers, options, disagreements));
  return { parts, disagreements };
}

/** The value at a part's path: `person.hurt` inside `person`. */
export function valueAt(parts: Readonly<Record<string, Json>>, path: string): Json | undefined {
  if (!path.includes(".")) return parts[path];
  return path
    .split(".")
    .reduce<Json | undefined>(
      (outer, name) => (outer !== null && typeof outer === "object" ? (outer as Record<string, Json>)[name] : undefined),
      parts as Json,
    );
}

function gradePart(
  prepared: Prepared,
  part: NamedShape,
  samples: readonly Sample[],
  answers: readonly Graded[],
  options: GradeOptions,
  disagreements: Disagreement[],
): PartGrade {
  const verdicts: Record<string, boolean> = {};
  const ids: string[] = [];
  const pairs: Pair[] = [];
  const reasonPart = reasonBefore(prepared, part);
  let right = 0;
  samples.forEach((sample, index) => {
    const truth = sample.truth[part.name];
    if (truth === undefined) return;
    const given = answers[index]!;
    const answer = "parts" in given ? valueAt(given.parts, part.name) : undefined;
    const isRight = answer !== undefined && sameValue(part, truth, answer);
    verdicts[sample.id] = isRight;
    ids.push(sample.id);
    pairs.push({ truth, answer });
    if (isRight) right++;
    else {
      const why =
        "parts" in given
          ? reasonPart && given.parts[reasonPart] !== undefined
            ? String(given.parts[reasonPart])
            : undefined
          : given.reason;
      disagreements.push({
        id: sample.id,
        place: sample.place,
        part: part.name,
        truth: part.toCell(truth),
        answer: answer === undefined ? null : part.toCell(answer),
        why,
        ...wordsOf(given, part.name, sample),
      });
    }
  });
  const total = pairs.length;
  const confusion = confusionOf(part, pairs);
  return {
    part: part.name,
    kind: part.kind.kind,
    graded: total,
    right,
    unanswered: pairs.filter((pair) => pair.answer === undefined).length,
    accuracy: total === 0 ? null : right / total,
    interval: wilson(right, total),
    ...(confusion ? { confusion, classes: classReport(confusion) } : {}),
    verdicts,
    ...kindFigures(part, pairs, ids, confusion, options),
  };
}

function wordsOf(given: Graded, part: string, { inputs }: Sample): Pick<Disagreement, "words"> {
  const found = "parts" in given ? given.evidence?.[part] : undefined;
  if (!found || found.found === "never") return {};
  const { before = "", behind = "" } = around(found, inputs) ?? {};
  return { words: { quote: found.quote, before, behind } };
}

/** Typed equality, as the kind has it. */
function sameValue({ kind }: NamedShape, truth: Json, answer: Json): boolean {
  if (truth === answer) return true;
  if (truth === null || answer === null) return false;
  return kind.same ? kind.same(truth, answer) : canonicalJson(truth) === canonicalJson(answer);
}

/** The nearest text part that the model wrote before this one. */
function reasonBefore(prepared: Prepared, part: NamedShape): string | undefined {
  const top = part.name.split(".")[0];
  const before = prepared.parts.slice(
    0,
    prepared.parts.findIndex((candidate) => candidate.name === top),
  );
  return before.findLast((candidate) => candidate.kind.isProse)?.name;
}

function confusionOf(part: NamedShape, pairs: readonly Pair[]): ConfusionCounts | undefined {
  if (!part.kind.measures?.includes("classes")) return undefined;
  const stated = (part.kind.options?.(part.spec) ?? []).map(({ name }) => name);
  const cells = pairs.map(({ truth, answer }) => [part.toCell(truth), answer === undefined ? undefined : part.toCell(answer)] as const);
  const used =
    stated.length > 0
      ? stated
      : [...new Set(cells.flatMap(([truth, answer]) => (answer === undefined ? [truth] : [truth, answer])))].sort((a, b) =>
          a.localeCompare(b, "en", { numeric: true }),
        );
  const counted = countConfusion(cells, used);
  return counted.labels.length > MOST_CONFUSION_LABELS ? undefined : counted;
}

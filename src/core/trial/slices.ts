import { YoroshiError, nearest } from "../ground/index.js";
import { fisherExact, holm, wilson, type Interval } from "../statistics/index.js";
import type { PartGrade } from "./grade.js";
import type { Sample } from "./samples.js";

/** How a part did on the rows that share a value. */
export interface Slice {
  /** What was asked for: `vessel`, `month:loggedOn`, `length:report`, `script:report`. */
  readonly by: string;
  readonly value: string;
  readonly part: string;
  readonly rows: number;
  readonly right: number;
  readonly accuracy: number;
  readonly interval: Interval;
  /** Accuracy of all other rows; `null` where there are none. */
  readonly rest: number | null;
  /** Fisher's exact test against the rest, adjusted for the number of slices of the part (Holm). */
  readonly p: number;
  /** Whether it differs from the rest beyond chance at the 5 % level. */
  readonly standsOut: boolean;
}

const LEVEL = 0.05;
const SCRIPTS = ["Latin", "Cyrillic", "Greek", "Arabic", "Hebrew", "Devanagari", "Thai", "Hangul", "Hiragana", "Katakana", "Han"];

/**
 * The figures of each value of named columns, smallest slices first, so that unfairness shows.
 *
 * @param by columns of the samples; `month:COLUMN` takes the month of a date, `length:COLUMN` the length of a text in
 * thirds of the rows, `script:COLUMN` the writing system that most of its letters have.
 * @throws YoroshiError `samplesUnfit` for a column that the samples do not have.
 */
export function sliceGrades(
  by: readonly string[],
  columns: readonly string[],
  file: string,
  samples: readonly Sample[],
  parts: readonly PartGrade[],
): Slice[] {
  const found = by.flatMap((one) => sliceBy(one, groupsOf(one, columns, file, samples), parts));
  for (const part of parts) {
    const own = found.flatMap((slice, index) => (slice.part === part.part ? [index] : []));
    const adjusted = holm(own.map((index) => found[index]!.p));
    own.forEach((index, rank) => (found[index] = { ...found[index]!, p: adjusted[rank]!, standsOut: adjusted[rank]! < LEVEL }));
  }
  return found.sort((a, b) => by.indexOf(a.by) - by.indexOf(b.by) || a.rows - b.rows || a.value.localeCompare(b.value));
}

function sliceBy(by: string, groups: ReadonlyMap<string, readonly string[]>, parts: readonly PartGrade[]): Slice[] {
  return [...groups].flatMap(([value, ids]) =>
    parts.flatMap((part): Slice[] => {
      const own = ids.filter((id) => part.verdicts[id] !== undefined);
      if (own.length === 0) return [];
      const right = own.filter((id) => part.verdicts[id]).length;
      const [restRows, restRight] = [part.graded - own.length, part.right - right];
      return [
        {
          by,
          value,
          part: part.part,
          rows: own.length,
          right,
          accuracy: right / own.length,
          interval: wilson(right, own.length),
          rest: restRows === 0 ? null : restRight / restRows,
          p: restRows === 0 ? 1 : fisherExact(right, own.length, restRight, restRows),
          standsOut: false,
        },
      ];
    }),
  );
}

function groupsOf(by: string, columns: readonly string[], file: string, samples: readonly Sample[]): Map<string, string[]> {
  const [, way, named] = /^(?:(month|length|script):)?(.+)$/.exec(by) ?? [];
  const column =
    columns.find((candidate) => candidate === named) ?? columns.find((candidate) => candidate.toLowerCase() === named?.toLowerCase());
  if (column === undefined) {
    const near = nearest(named ?? "", columns);
    throw new YoroshiError("samplesUnfit", {
      file,
      problem: `it has no column \`${named}\` to slice by.${near ? ` Is \`${near}\` meant?` : ""} Columns: ${columns.join(", ")}.`,
    });
  }
  const lengths = samples.map((sample) => sample.values[column]?.length ?? 0).sort((a, b) => a - b);
  const [third = 0, twoThirds = 0] = [lengths[Math.floor(lengths.length / 3)], lengths[Math.floor((2 * lengths.length) / 3)]];
  const groups = new Map<string, string[]>();
  for (const sample of samples) {
    const cell = sample.values[column]?.trim() ?? "";
    const value =
      way === "month"
        ? monthOf(cell)
        : way === "length"
          ? cell.length <= third
            ? `up to ${third} characters`
            : cell.length <= twoThirds
              ? `${third + 1} to ${twoThirds}`
              : `above ${twoThirds}`
          : way === "script"
            ? scriptOf(cell)
            : cell || "(blank)";
    groups.set(value, [...(groups.get(value) ?? []), sample.id]);
  }
  return groups;
}

function monthOf(cell: string): string {
  const date = new Date(`${cell} UTC`);
  return /^\d{4}-\d{2}/.exec(cell)?.[0] ?? (Number.isNaN(date.getTime()) ? "(no date)" : date.toISOString().slice(0, 7));
}

function scriptOf(cell: string): string {
  const counts = SCRIPTS.map((script) => ({ script, letters: cell.match(new RegExp(`\\p{Script=${script}}`, "gu"))?.length ?? 0 }));
  const most = counts.reduce((best, one) => (one.letters > best.letters ? one : best));
  return most.letters > 0 ? most.script : "(no letters)";
}

import type { Work } from "../cells/index.js";
import { isNumber } from "../view/index.js";
import { kindOf } from "../kinds/index.js";
import { profileColumns, shownCell, type ColumnProfile } from "../table/index.js";

/** What is known of a column that a question may be about. */
export interface InquiryColumn {
  readonly name: string;
  /** `options`: one of some values; `scale`: a number of a few; `words`: a text. */
  readonly holds: "options" | "scale" | "number" | "day" | "yesNo" | "words";
  /** What its values mean, in the template's words. */
  readonly about?: string | undefined;
  /** Its frequent values, the most frequent first; none of a text. */
  readonly values: readonly { readonly value: string; readonly rows: number }[];
  /** The ends of a score. */
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  /** Its numbers, and its true and false, are such in conditions, not texts. */
  readonly isTyped: boolean;
  /** Of rows of another table that belong to a row: by which name these go, and their column; one such row is enough for a condition. */
  readonly of?: { readonly rows: string; readonly column: string } | undefined;
  /** A figure of such rows, by their name and its own; conditions have it as `row.receipts.total`. */
  readonly figure?: { readonly rows: string; readonly name: string } | undefined;
}

/** A row as a question sees it. */
export type InquiryRow = Readonly<Record<string, unknown>>;

const MOST_VALUES = 40;
const FEW_VALUES = 12;
const ABOUT_CHARS = 300;

/**
 * What is known of the columns of a table: of those that a plan fills by their kinds, of all others by how they look.
 *
 * @param work the plan's, where the table is one's.
 * @param rows some rows of it.
 */
export function inquiryColumns(names: readonly string[], rows: readonly InquiryRow[], work?: Pick<Work, "steps">): InquiryColumn[] {
  const texts = rows.map((row) => Object.fromEntries(names.map((name) => [name, shownCell(row[name]).trim()])));
  const profiles = new Map(profileColumns(names, texts).map((profile) => [profile.name, profile]));
  const targets = new Map((work?.steps ?? []).flatMap(({ targets: own }) => own.map((target) => [target.name, target] as const)));
  return names
    .filter((name) => name !== "")
    .map((name) => {
      const target = targets.get(name);
      const spec = target?.part?.spec as
        { kind?: string; about?: string; from?: number; to?: number; scale?: object; options?: unknown } | undefined;
      const looks = profiles.get(name)?.looksLike ?? "text";
      const counts = new Map<string, number>();
      for (const row of texts) if (row[name] !== "") counts.set(row[name]!, (counts.get(row[name]!) ?? 0) + 1);
      const filled = [...counts.values()].reduce((sum, count) => sum + count, 0);
      // Where nearly each row has its own, values say nothing of others; and every new row would make another question of the same words.
      const isOwn = counts.size > Math.max(FEW_VALUES, filled / 2);
      const seen = holdsOf(spec?.kind, looks);
      const holds =
        seen === "options" && spec?.kind === undefined && isOwn && [...counts.keys()].some((value) => /\s/.test(value)) ? "words" : seen;
      const about = [
        spec?.about,
        spec?.scale
          ? Object.entries(spec.scale)
              .map(([point, means]) => `${point} = ${means}`)
              .join(", ")
          : undefined,
      ]
        .filter((one) => one !== undefined)
        .join("; ")
        .slice(0, ABOUT_CHARS);
      return {
        name,
        holds,
        ...(about === "" ? {} : { about }),
        values: (holds === "words" || isOwn ? [] : [...counts])
          .sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1))
          .slice(0, MOST_VALUES)
          .map(([value, count]) => ({ value, rows: count })),
        from: spec?.from,
        to: spec?.to,
        isTyped: rows.some((row) => typeof row[name] === "number" || typeof row[name] === "boolean" || typeof row[name] === "bigint"),
      };
    });
}

/**
 * What is known of the columns of rows that belong to the rows of a table, by the names under which a plan has them: `thread.said`.
 *
 * @param related the name of such rows -> columns of them that are not meant: what they belong by, what has another name.
 */
export function relatedColumns(related: ReadonlyMap<string, ReadonlySet<string>>, rows: readonly InquiryRow[]): InquiryColumn[] {
  return [...related].flatMap(([name, hidden]) => {
    const found = rows.flatMap((row) => (Array.isArray(row[name]) ? (row[name] as InquiryRow[]) : []));
    const columns = [...new Set(found.flatMap((row) => Object.keys(row)))].filter((column) => !hidden.has(column));
    return inquiryColumns(columns, found).map((column) => ({
      ...column,
      name: `${name}.${column.name}`,
      about: `of the rows ${name}, of which a row may have several`,
      of: { rows: name, column: column.name },
    }));
  });
}

/** What a column holds, by the kind of the part that fills it, else by how its values look. */
function holdsOf(kind: string | undefined, looks: ColumnProfile["looksLike"]): InquiryColumn["holds"] {
  if (kind !== undefined) {
    const { control, measures = [] } = kindOf(kind);
    if (control === "oneOf") return "options";
    if (control === "number") return measures.includes("classes") ? "scale" : "number";
    return control === "day" || control === "yesNo" ? control : "words";
  }
  if (looks === "number" || looks === "yesNo") return looks;
  return looks === "date" ? "day" : looks === "text" || looks === "empty" ? "words" : "options";
}

/** The columns in words for a model, one a line. */
export function columnsTold(columns: readonly InquiryColumn[]): string {
  return columns
    .map(({ name, holds, about, values, from, to }) => {
      const range = from === undefined ? "" : ` from ${from} to ${to}`;
      // In an order that stays when rows come and go: the same words are the same question.
      const some = [...values]
        .sort((a, b) => (isNumber(a.value) && isNumber(b.value) ? Number(a.value) - Number(b.value) : a.value < b.value ? -1 : 1))
        .map(({ value }) => value.replace(/\s+/g, " ").replaceAll(";", ",").slice(0, 60))
        .join("; ");
      return `- ${name} (${holds}${range})${about === undefined ? "" : `. ${about}`}${some === "" ? "" : `. Values: ${some}`}`;
    })
    .join("\n");
}

export { isNumber };

import type { TopRow } from "./table.js";

/** What stands in a column, by its first rows. */
export interface ColumnProfile {
  readonly name: string;
  /** `text`: words of any length; `choice`: a few words that repeat; `empty`: nothing. */
  readonly looksLike: "text" | "choice" | "number" | "date" | "yesNo" | "name" | "empty";
  /** The share of rows with a value, and how many different ones these have. */
  readonly filled: number;
  readonly distinct: number;
  /** Characters of a value, on average. */
  readonly meanChars: number;
  readonly examples: readonly string[];
  /** Of numbers and days that figures alone do not tell: how they are written, or that it is unclear. */
  readonly written?: "comma" | "point" | "dayFirst" | "monthFirst" | "unclear" | undefined;
}

const EXAMPLES = 3;
const EXAMPLE_CHARS = 120;
/** From so many characters on average a value is a text. */
const TEXT_CHARS = 24;
const TEXT_WORDS = 4;
/** Almost all values must be of a kind for the column to be. */
const ALMOST_ALL = 0.9;

const YES_NO = /^(yes|no|y|n|true|false|ja|nein|oui|non|s[ií]|0|1|x)$/i;
const DAY = /^\d{4}-\d{2}-\d{2}([T ].*)?$|^\d{1,2}([./-])\d{1,2}\2\d{2,4}([ T].*)?$/;
const NUMBER = /^[\s(]*[-+]?[\p{Sc}\s]*\d[\d.,'’\u00a0\u202f ]*\s*[%\p{Sc}]?[\s)]*$/u;

/** Looks at the columns of some rows. */
export function profileColumns(columns: readonly string[], rows: readonly Readonly<Record<string, string>>[]): ColumnProfile[] {
  return columns
    .filter((name) => name !== "")
    .map((name) =>
      profile(
        name,
        rows.map((row) => (row[name] ?? "").trim()).filter((text) => text !== ""),
        rows.length,
      ),
    );
}

function profile(name: string, values: readonly string[], rows: number): ColumnProfile {
  const distinct = new Set(values);
  const meanChars = values.length === 0 ? 0 : values.reduce((sum, text) => sum + text.length, 0) / values.length;
  const common = {
    name,
    filled: rows === 0 ? 0 : values.length / rows,
    distinct: distinct.size,
    meanChars: Math.round(meanChars),
    examples: [...distinct].slice(0, EXAMPLES).map((text) => text.slice(0, EXAMPLE_CHARS)),
  };
  if (values.length === 0) return { ...common, looksLike: "empty" };
  const are = (test: RegExp): boolean => values.filter((text) => test.test(text)).length >= values.length * ALMOST_ALL;
  if (are(DAY)) return { ...common, looksLike: "date", written: daysWritten(values) };
  if (are(YES_NO) && distinct.size <= 4) return { ...common, looksLike: "yesNo" };
  if (are(NUMBER)) return { ...common, looksLike: "number", written: numbersWritten(values) };
  const words = values.reduce((sum, text) => sum + text.split(/\s+/).length, 0) / values.length;
  if (meanChars >= TEXT_CHARS || words >= TEXT_WORDS) return { ...common, looksLike: "text" };
  return { ...common, looksLike: distinct.size <= Math.max(2, values.length / 4) ? "choice" : "name" };
}

/** Which way the days of a column are written; `undefined` where they tell it themselves. */
function daysWritten(values: readonly string[]): ColumnProfile["written"] {
  const pairs = values.flatMap((text) => {
    const found = /^(\d{1,2})[./-](\d{1,2})[./-]\d{2,4}/.exec(text);
    return found ? [[Number(found[1]), Number(found[2])] as const] : [];
  });
  if (pairs.length === 0) return undefined;
  if (pairs.some(([first]) => first > 12)) return "dayFirst";
  if (pairs.some(([, second]) => second > 12)) return "monthFirst";
  return values.some((text) => /^\d{1,2}\./.test(text)) ? "dayFirst" : "unclear";
}

function numbersWritten(values: readonly string[]): ColumnProfile["written"] {
  const marks = values.map((text) => /[.,](\d+)\D*$/.exec(text)).filter((found) => found !== null);
  if (marks.length === 0) return undefined;
  const commas = marks.filter(([all]) => all.startsWith(","));
  // Three digits behind the only mark may be thousands.
  const clear = (found: readonly RegExpExecArray[]): boolean => found.some(([, digits]) => digits!.length !== 3);
  if (clear(commas)) return "comma";
  if (clear(marks.filter(([all]) => all.startsWith(".")))) return "point";
  return "unclear";
}

/**
 * The row that looks most like a header among the first rows of a sheet: the first of those with most names, where a title or a note stands
 * above; and others that do, too. `undefined` where no row does.
 */
export function guessHeader(top: readonly TopRow[]): { readonly row: number; readonly others: readonly number[] } | undefined {
  const likely = top.flatMap(({ row, cells }) => {
    const names = cells.map((cell) => cell.trim()).filter((cell) => cell !== "");
    const lettered = names.filter((name) => /\p{L}/u.test(name)).length;
    const isHeader =
      names.length > 0 &&
      new Set(names).size === names.length &&
      lettered >= names.length * 0.6 &&
      names.every((name) => name.length <= 80);
    return isHeader ? [{ row, names: names.length }] : [];
  });
  const most = Math.max(0, ...likely.map(({ names }) => names));
  if (most === 0) return undefined;
  // A row of data may be full of words, too: the first that is nearly as wide as the widest is meant.
  const [first, ...others] = likely.filter(({ names }) => names >= Math.max(Math.min(2, most), most * 0.7));
  return { row: first!.row, others: others.slice(0, 3).map(({ row }) => row) };
}

/** Of the names of columns, those that could name rows by what they say: `id`, `no`, `number`. */
const KEY_NAME =
  /(^|[^\p{L}])(id|key|no|nr|num|number|nummer|code|ref|reference|ticket|case|uuid)([^\p{L}]|$)|(Id|ID|No|Nr|Key|Number|Code)$/u;

/** A column that names rows, and in how many of them it is blank: a line of totals, a note below the table. */
export interface KeyCandidate {
  readonly column: string;
  readonly blank: number;
}

/** So many rows may be without a key, or so great a share: they are left as they are when the table is filled. */
const FEW_BLANK = 3;
const FEW_BLANK_SHARE = 0.02;

/** Watches rows go by and tells which columns name each of them: never twice, and hardly ever blank. */
export class KeyFinder {
  readonly #open: Map<string, { readonly seen: Set<number>; blank: number }>;
  #rows = 0;

  constructor(readonly columns: readonly string[]) {
    this.#open = new Map(columns.filter((name) => name !== "").map((name) => [name, { seen: new Set<number>(), blank: 0 }]));
  }

  get rows(): number {
    return this.#rows;
  }

  add(rows: readonly Readonly<Record<string, string>>[]): void {
    for (const row of rows) {
      this.#rows++;
      for (const [name, column] of this.#open) {
        const text = (row[name] ?? "").trim();
        if (text === "") {
          if (++column.blank > Math.max(FEW_BLANK, this.#rows * FEW_BLANK_SHARE)) this.#open.delete(name);
          continue;
        }
        const mark = hash(text);
        if (column.seen.has(mark)) this.#open.delete(name);
        else column.seen.add(mark);
      }
    }
  }

  /** The best first: by its name, then as the table has them; long texts are no keys. */
  candidates(profiles: readonly ColumnProfile[]): KeyCandidate[] {
    const rank = (name: string): number => {
      const of = profiles.find((one) => one.name === name);
      return (KEY_NAME.test(name) ? 0 : 10) + (of?.looksLike === "text" ? 20 : 0) + (of?.looksLike === "date" ? 15 : 0);
    };
    const found = [...this.#open].filter(([, { seen, blank }]) => seen.size > 0 && blank <= this.#rows / 2);
    return found.map(([column, { blank }]) => ({ column, blank })).sort((a, b) => rank(a.column) - rank(b.column) || a.blank - b.blank);
  }
}

/** 52 bits of two FNV-1a hashes: no two values of a million are likely to share one. */
function hash(text: string): number {
  let [a, b] = [0x811c9dc5, 0x1b873593];
  for (let index = 0; index < text.length; index++) {
    const unit = text.charCodeAt(index);
    a = Math.imul(a ^ unit, 0x01000193);
    b = Math.imul(b ^ unit, 0x85ebca6b) ^ (b >>> 13);
  }
  return (a >>> 0) * 0x100000 + ((b >>> 0) & 0xfffff);
}

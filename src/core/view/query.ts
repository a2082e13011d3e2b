import { YoroshiError } from "../ground/index.js";
import type { CellState } from "../ledger/index.js";
import { readCondition, type Condition } from "../plan/index.js";

/** What must hold of one column; all that is said must. Upper and lower case count as the same in `has`. */
export interface ViewFilter {
  readonly column: string;
  /** One of these values. */
  readonly is?: readonly string[] | undefined;
  /** None of these values. */
  readonly not?: readonly string[] | undefined;
  /** These letters are somewhere in it. */
  readonly has?: string | undefined;
  /** Numbers are compared as numbers, all else as text, so that days written as 2026-03-01 work. */
  readonly atLeast?: string | undefined;
  readonly atMost?: string | undefined;
  /** How the cell stands, of a column that is filled. */
  readonly state?: readonly CellState[] | undefined;
  readonly blank?: boolean | undefined;
  /** Why it stands so, in the words that a page of rows gives. */
  readonly because?: string | undefined;
}

export interface ViewSort {
  readonly column: string;
  readonly descending?: boolean | undefined;
}

/** Which rows of a table are wanted, and in which order; without any of it all of them, as they stand in the table. */
export interface ViewQuery {
  /** Words that a row has somewhere, all of them; upper and lower case are the same. */
  readonly search?: string | undefined;
  readonly filters?: readonly ViewFilter[] | undefined;
  /** CEL over `row`; a row for which it cannot be evaluated is left out. */
  readonly where?: string | undefined;
  /** A cell of the row stands in one of these states, whichever column. */
  readonly states?: readonly CellState[] | undefined;
  readonly sort?: readonly ViewSort[] | undefined;
}

/** A row as a query sees it. */
export interface QueriedRow {
  value(column: string): string;
  state(column: string): CellState | undefined;
  /** Why it stands so; "" where nothing is to be said. */
  reason(column: string): string;
  /** Whether any of its filled cells stands in one of these states. */
  stands(states: ReadonlySet<CellState>): boolean;
  /** These columns with numbers and true or false typed, for a condition. */
  typed(columns: readonly string[]): Readonly<Record<string, unknown>>;
}

/** A query made ready: what it says of a row. */
export type RowTest = (row: QueriedRow) => boolean;

const MOST_FILTERS = 50;

/** @throws YoroshiError `notFound` for a column that is not there, `badOption` for a condition that cannot be read. */
export function rowTest({ search = "", filters = [], where, states }: ViewQuery, columns: readonly string[]): RowTest {
  if (filters.length > MOST_FILTERS) throw new YoroshiError("badOption", { option: "filters", problem: `at most ${MOST_FILTERS}.` });
  for (const { column } of filters) columnNamed(columns, column);
  const tests: RowTest[] = [
    ...filters.map(filterTest),
    ...(states && states.length > 0 ? [standsTest(new Set(states))] : []),
    ...search
      .trim()
      .split(/\s+/)
      .filter((word) => word !== "")
      .map((word) => wordTest(word, columns)),
    ...(where === undefined || where.trim() === "" ? [] : [conditionTest(readWhere(where))]),
  ];
  return (row) => tests.every((test) => test(row));
}

/** @throws YoroshiError `notFound`. */
export function columnNamed(columns: readonly string[], name: string): string {
  if (!columns.includes(name)) throw new YoroshiError("notFound", { what: "column", name, known: columns });
  return name;
}

function readWhere(where: string): Condition {
  const { condition, problem } = readCondition(where);
  if (!condition) throw new YoroshiError("badOption", { option: "where", problem: `\`${where}\` cannot be read as CEL: ${problem}.` });
  return condition;
}

const standsTest =
  (states: ReadonlySet<CellState>): RowTest =>
  (row) =>
    row.stands(states);

const conditionTest =
  (condition: Condition): RowTest =>
  (row) =>
    condition.test(row.typed(condition.columns)) === true;

/** Case is ignored by the pattern, so that no row's text is copied in small letters. */
const lettersPattern = (letters: string): RegExp => new RegExp(letters.replace(/[.*+?^${}()|[\]\\/]/g, String.raw`\$&`), "iu");

function wordTest(word: string, columns: readonly string[]): RowTest {
  const pattern = lettersPattern(word);
  return (row) => columns.some((column) => pattern.test(row.value(column)));
}

function filterTest({ column, is, not, has, atLeast, atMost, state, blank, because }: ViewFilter): RowTest {
  const wanted = is && new Set(is);
  const unwanted = not && new Set(not);
  const states = state && new Set(state);
  const pattern = has === undefined || has === "" ? undefined : lettersPattern(has);
  return (row) => {
    const value = row.value(column);
    return (
      (!wanted || wanted.has(value)) &&
      !unwanted?.has(value) &&
      (!pattern || pattern.test(value)) &&
      (blank === undefined || (value.trim() === "") === blank) &&
      (!states || states.has(row.state(column) ?? "blank")) &&
      (because === undefined || row.reason(column) === because) &&
      (atLeast === undefined || (value !== "" && compared(value, atLeast) >= 0)) &&
      (atMost === undefined || (value !== "" && compared(value, atMost) <= 0))
    );
  };
}

/** Whether a text is a number as tables give them. */
export const isNumber = (text: string): boolean => /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(text);

function compared(value: string, other: string): number {
  if (isNumber(value) && isNumber(other)) return Number(value) - Number(other);
  return value < other ? -1 : value > other ? 1 : 0;
}

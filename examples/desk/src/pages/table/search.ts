import type { CellState } from "yoroshi";
import type { CallInput } from "yoroshi/client";

type RowsInput = CallInput<"readRows">;
export type Filter = NonNullable<RowsInput["filters"]>[number];
export type Sort = NonNullable<RowsInput["sort"]>[number];

/** What stands in the address of a table: which rows, in which order, which of them is in hand, which columns. */
export interface TableSearch {
  /** Words that rows have. */
  readonly q?: string;
  readonly filters?: readonly Filter[];
  /** CEL. */
  readonly where?: string;
  readonly states?: readonly CellState[];
  readonly sort?: readonly Sort[];
  /** The key of the row in hand, and the column. */
  readonly row?: string;
  readonly col?: string;
  readonly hidden?: readonly string[];
  readonly order?: readonly string[];
  readonly pinned?: readonly string[];
}

const KEYS = ["q", "filters", "where", "states", "sort", "row", "col", "hidden", "order", "pinned"] as const;
const LISTS = new Set<string>(["filters", "states", "sort", "hidden", "order", "pinned"]);

/** Reads the address: what is not of the right form is left out. */
export function tableSearch(given: Record<string, unknown>): TableSearch {
  const known: [string, unknown][] = [];
  for (const key of KEYS) {
    const value = given[key];
    if (value === undefined || value === "") continue;
    if (LISTS.has(key) ? Array.isArray(value) && value.length > 0 : typeof value !== "object")
      known.push([key, LISTS.has(key) ? value : String(value)]);
  }
  // Each key was held against what it is to be; a list of entries has lost that.
  return Object.fromEntries(known) as TableSearch;
}

/** Which rows are looked for, as the server is asked. */
export type RowQuery = Pick<RowsInput, "search" | "filters" | "where" | "states">;

export const queryOf = ({ q, filters, where, states }: TableSearch): RowQuery => ({
  ...(q ? { search: q } : {}),
  ...(filters?.length ? { filters: [...filters] } : {}),
  ...(where ? { where } : {}),
  ...(states?.length ? { states: [...states] } : {}),
});

/** What it says, in the words of a table. */
export function filterTold({ column, is, not, has, atLeast, atMost, state, blank, because }: Filter): string {
  const said = [
    is && `is ${is.map((one) => one || "blank").join(" or ")}`,
    not && `is not ${not.join(" or ")}`,
    has && `has “${has}”`,
    atLeast !== undefined && atMost !== undefined
      ? `from ${atLeast} to ${atMost}`
      : atLeast !== undefined
        ? `at least ${atLeast}`
        : atMost !== undefined && `at most ${atMost}`,
    state && `stands ${state.join(" or ")}`,
    because && `because: ${because}`,
    blank !== undefined && (blank ? "is blank" : "is not blank"),
  ].filter(Boolean);
  return `${column} ${said.join(", ")}`;
}

/** The filters with one of a column put in the place of what stood for it. */
export const withFilter = (filters: readonly Filter[] = [], column: string, next: Omit<Filter, "column"> | undefined): Filter[] => [
  ...filters.filter((one) => one.column !== column),
  ...(next && Object.values(next).some((value) => value !== undefined && !(Array.isArray(value) && value.length === 0))
    ? [{ column, ...next }]
    : []),
];

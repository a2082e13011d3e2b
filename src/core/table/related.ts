import type { CellValue, Row } from "./table.js";

/** A related row: text by the names that the template knows. */
export type RelatedRow = Readonly<Record<string, string>>;

/** What belongs to one row: ordered and limited. */
export interface FoundRows {
  readonly rows: readonly RelatedRow[];
  /** Rows beyond the limit, which are left out. */
  readonly left: number;
  /** Where figures are wanted instead: of all rows that belong to it. */
  readonly figures?: Readonly<Record<string, CellValue>> | undefined;
  /** Why figures are blank. */
  readonly problem?: string | undefined;
}

/** The port to rows of another table that belong to rows of this one; asked about many at once. */
export interface Related {
  /** The columns of the other table. Throws when it cannot be read. */
  columns(): Promise<readonly string[]>;
  /** For each row, in the rows' order, what belongs to it. */
  of(rows: readonly Row[]): Promise<readonly FoundRows[]>;
  /** A mark that changes when the other table changes; `undefined` where that cannot be told. */
  mark(): Promise<string | undefined>;
  /** Lets go of what was opened. */
  close(): Promise<void>;
}

/** Rows of a table in a stream, by column, where no row needs a key: what look-ups are made of. */
export interface RowSource {
  readonly name: string;
  columns(): Promise<readonly string[]>;
  rows(): AsyncIterable<readonly RelatedRow[]>;
  /** A mark that changes when the source changes; `undefined` where that cannot be told. */
  mark(): Promise<string | undefined>;
}

/** How rows are found, ordered and limited; see a plan's `related`. */
export interface RelatedWay {
  /** Column there -> column here. */
  readonly match: Readonly<Record<string, string>>;
  readonly columns?: Readonly<Record<string, string>> | undefined;
  readonly order?: string | undefined;
  readonly limit: number;
  readonly keep: "newest" | "oldest";
}

/**
 * Related rows from objects in memory: for the browser, tests and code that has them at hand.
 *
 * @example
 * ```ts
 * import { memoryRelated } from "yoroshi";
 *
 * const messages = [
 *   { report: "R-1", at: "2026-08-03", said: "Rope ordered." },
 *   { report: "R-1", at: "2026-08-04", said: "Rope is here." },
 * ];
 * const thread = memoryRelated(messages, { match: { report: "id" }, order: "at", limit: 1, keep: "newest" });
 * const [found] = await thread.of([{ key: "R-1", place: "row 1", values: { id: "R-1" } }]);
 * found!.left; // => 1
 * found!.rows[0]!["said"]; // => "Rope is here."
 * ```
 */
export function memoryRelated(there: readonly RelatedRow[], way: RelatedWay): Related {
  const idOf = (values: Readonly<Record<string, string>>, columns: readonly string[]): string =>
    JSON.stringify(columns.map((column) => (values[column] ?? "").trim()));
  const byId = new Map<string, RelatedRow[]>();
  for (const row of there) {
    const id = idOf(row, Object.keys(way.match));
    byId.set(id, [...(byId.get(id) ?? []), row]);
  }
  return {
    columns: async () => [...new Set(there.flatMap((row) => Object.keys(row)))],
    of: async (rows) =>
      rows.map((row) => {
        const found = byId.get(idOf(row.values, Object.values(way.match))) ?? [];
        const ordered = way.order === undefined ? found : found.toSorted((a, b) => compareText(a[way.order!] ?? "", b[way.order!] ?? ""));
        const kept = way.keep === "oldest" ? ordered.slice(0, way.limit) : ordered.slice(-way.limit);
        return { rows: kept.map((one) => renamed(one, way.columns)), left: ordered.length - kept.length };
      }),
    mark: async () => JSON.stringify(there),
    close: async () => undefined,
  };
}

/** A row under the names that the template knows, its other columns beside them. */
export function renamed(row: RelatedRow, columns: RelatedWay["columns"] = {}): RelatedRow {
  return { ...row, ...Object.fromEntries(Object.entries(columns).map(([name, column]) => [name, row[column] ?? ""])) };
}

/** Numbers by size before all else; the rest by its characters, as ISO dates order themselves. */
function compareText(a: string, b: string): number {
  const [x, y] = [sortNumber(a), sortNumber(b)];
  if (x !== undefined && y !== undefined) return x - y;
  if (x !== undefined || y !== undefined) return x !== undefined ? -1 : 1;
  return a < b ? -1 : a > b ? 1 : 0;
}

/** The number that a text is, for ordering; `undefined` for other text. */
export function sortNumber(text: string): number | undefined {
  return /^\s*[-+]?(\d+\.?\d*|\.\d+)\s*$/.test(text) ? Number(text) : undefined;
}

import type Database from "better-sqlite3";

/** How the stores of a ledger reach its file. */
export interface Access {
  readonly db: Database.Database;
  /** Commits with what else is written at this moment. */
  write(work: () => void): Promise<void>;
  /** Commits at once what waits for that. */
  settle(): void;
  /** What a store gathers during a commit, and writes at its end in one go. */
  eachCommit(gathered: Gathered): void;
  /** The number of a plan's step, which is given one where it has none. */
  placeOf(plan: string, step: string): number;
  /** All plans' steps. */
  places(): readonly Place[];
  forgetPlaces(): void;
}

export interface Gathered {
  begin(): void;
  end(): void;
}

export interface Place {
  readonly id: number;
  readonly plan: string;
  readonly step: string;
}

/** Records that are read at a time when all are wanted. */
export const SOME = 500;

/** All rows of a query that gives those behind a row, page by page. */
export function* pages<Row>(page: (after: Row | undefined) => readonly Row[]): Generator<readonly Row[]> {
  for (let last: Row | undefined; ;) {
    const rows = page(last);
    if (rows.length === 0) return;
    yield rows;
    last = rows.at(-1);
  }
}

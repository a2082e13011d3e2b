import type { Session } from "./session.js";
import type { Statements, Store, TextRow } from "./store.js";

/** How the stores of a ledger reach it. */
export interface Access {
  /** The schema's name, quoted. */
  readonly s: string;
  /** A condition on rows with a session: that it is still seen. */
  readonly alive: string;
  read(text: string, values?: readonly unknown[]): Promise<readonly TextRow[]>;
  /** Commits with what else is written at this moment. */
  write(work: (sql: Statements) => Promise<unknown>): Promise<void>;
  /** Resolves once all that was written is committed. */
  settle(): Promise<void>;
  opened(): Promise<{ readonly store: Store; readonly session: Session }>;
  /** The session, once it has begun. */
  current(): Session | undefined;
  /** The number of a plan's step; none where nothing of it was recorded. */
  placeOf(plan: string, step: string): Promise<number | undefined>;
  forgetPlaces(): void;
}

/** Records that are read at a time when all are wanted. */
export const SOME = 500;

/** All rows of a query that gives those behind a row, page by page, once all that was written is there. */
export async function* paged<T>(
  { settle }: Pick<Access, "settle">,
  page: (after: TextRow | undefined) => Promise<readonly TextRow[]>,
  as: (row: TextRow) => T,
): AsyncGenerator<T[]> {
  await settle();
  for (let last: TextRow | undefined; ;) {
    const rows = await page(last);
    if (rows.length === 0) return;
    yield rows.map(as);
    last = rows.at(-1)!;
  }
}

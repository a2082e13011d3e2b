import type { TopRow } from "../table/index.js";

/** What is known of a plan's table. */
export interface KnownTable {
  readonly name: string;
  readonly columns: readonly string[];
  /** Of a file: its first rows, for a header below a title. */
  readonly top?: readonly TopRow[] | undefined;
}

import type { InquiryColumn } from "./columns.js";
import type { KeyedRow } from "./compute.js";

/** A table that questions are asked of. */
export interface AskedTable {
  readonly name: string;
  readonly columns: readonly InquiryColumn[];
  /** Its rows, plans' columns filled. */
  rows(): AsyncIterable<readonly KeyedRow[]>;
}

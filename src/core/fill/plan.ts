import type { Json, RowsSource, TableSource } from "../ground/index.js";

/** Which cells a fill gives a new value; each one takes in those before it. */
export type Refill = "blank" | "stale" | "failed" | "all";

/** Rows of another table that belong to each row, for an input of the kind `rows`. */
export interface RelatedSource {
  readonly table: RowsSource;
  /** Column there -> column here whose value must be the same. */
  readonly match: Readonly<Record<string, string>>;
  /** Name that the template knows -> column there; the same name where it is not given. */
  readonly columns?: Readonly<Record<string, string>> | undefined;
  /** The column there that orders the rows; numbers by size, all else by its characters. Default: the table's order. */
  readonly order?: string | undefined;
  /** Most rows. Default 50. */
  readonly limit?: number | undefined;
  /** Which rows are kept when there are more: those that stand last in the order (the default) or first. */
  readonly keep?: "newest" | "oldest" | undefined;
}

export const DEFAULT_RELATED_LIMIT = 50;

/** A rule that settles a row without a model. */
export interface ClearRule {
  /** CEL over `row`. The first rule that holds counts. */
  readonly when: string;
  /** Part -> its value. */
  readonly give: Readonly<Record<string, Json>>;
}

/** One template inside a plan: inputs from columns, columns from answer parts. */
export interface Step {
  readonly template: string;
  /** Input -> column, or related rows, that it comes from. Inputs left out come from the column of the same name. */
  readonly inputs: Readonly<Record<string, string>>;
  /** Column -> answer part it takes; a part inside a record by its path, `contact.email`. */
  readonly fill: Readonly<Record<string, string>>;
  /** CEL over `row`: the step is done only for rows where it holds. */
  readonly when?: string | undefined;
  /** Rules for the clear rows, tried before any model is asked. */
  readonly clear?: readonly ClearRule[] | undefined;
}

/** What a trial must have shown before a fill may run. */
export interface Gate {
  readonly step: string;
  readonly part: string;
  /** Least share of right answers, 0 to 1, in the newest trial of the template as it is, with the model it asks. */
  readonly accuracyAtLeast: number;
}

export interface Limits {
  /** Most rows asked about in one run. */
  readonly rows?: number | undefined;
  /** Most money spent in one run, in units of the project's currency. */
  readonly spend?: number | undefined;
  /** Most requests at once. Default 8. */
  readonly atOnce?: number | undefined;
}

/** Which table, which rows, which template fills which columns, within which limits. */
export interface Plan {
  readonly name: string;
  readonly title?: string | undefined;
  readonly table: TableSource;
  readonly related?: Readonly<Record<string, RelatedSource>> | undefined;
  readonly steps: Readonly<Record<string, Step>>;
  readonly limits: Limits;
  readonly gate?: Gate | undefined;
  readonly refill: Refill;
}

export const PLAN_FORMAT = "plan/1";
export const DEFAULT_AT_ONCE = 8;
export const REFILLS: readonly Refill[] = ["blank", "stale", "failed", "all"];

/** The one step of a plan, with its name. */
export function stepOf(plan: Plan): { readonly name: string; readonly step: Step } {
  const [name, step] = Object.entries(plan.steps)[0]!;
  return { name, step };
}

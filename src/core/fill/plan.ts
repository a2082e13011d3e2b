/** Which cells a fill gives a new value; each one takes in those before it. */
export type Refill = "blank" | "stale" | "failed" | "all";

/** Where a plan's table is. Paths are relative to the project's folder. */
export interface TableSource {
  readonly file: string;
  /** The column whose value names a row. */
  readonly key: string;
}

/** One template inside a plan: inputs from columns, columns from answer parts. */
export interface Step {
  readonly template: string;
  /** Input -> column it comes from. Inputs left out come from the column of the same name. */
  readonly inputs: Readonly<Record<string, string>>;
  /** Column -> answer part it takes; a part inside a record by its path, `contact.email`. */
  readonly fill: Readonly<Record<string, string>>;
  /** CEL over `row`: the step is done only for rows where it holds. */
  readonly when?: string | undefined;
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
  readonly steps: Readonly<Record<string, Step>>;
  readonly limits: Limits;
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

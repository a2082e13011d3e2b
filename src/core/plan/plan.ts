import { nearest, YoroshiError, type FigureSource, type Json, type PlanRows, type RowsSource, type TableSource } from "../ground/index.js";
import type { TargetColumn } from "../table/index.js";

/** Which cells a fill gives a new value; each one takes in those before it. */
export type Refill = "blank" | "stale" | "failed" | "all";

/** Rows of another table that belong to each row: for an input of the kind `rows`, or for figures of them. */
export interface RelatedSource {
  readonly table: RowsSource | PlanRows;
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
  /** Figures of them, as those of groups: then the name stands for these, `row.receipts.total`, over all that belong to the row. */
  readonly figures?: Readonly<Record<string, FigureSource>> | undefined;
}

export const DEFAULT_RELATED_LIMIT = 50;

/** A rule that settles a row without a model. */
export interface ClearRule {
  /** CEL over `row`. The first rule that holds counts. */
  readonly when: string;
  /** Part -> its value. */
  readonly give: Readonly<Record<string, Json>>;
}

/** A step of a plan: a template that is asked, or plain columns made of others. */
export type Step = TemplateStep | SetStep;

/** One template inside a plan: inputs from columns, columns from answer parts. */
export interface TemplateStep {
  readonly template: string;
  /** Input -> column, or related rows, that it comes from. Inputs left out come from the column of the same name. */
  readonly inputs: Readonly<Record<string, string>>;
  /** Column -> answer part it takes; a part inside a record by its path, `contact.email`. */
  readonly fill: Readonly<Record<string, string>>;
  /** CEL over `row`: the step is done only for rows where it holds. */
  readonly when?: string | undefined;
  /** Rules for the clear rows, tried before any model is asked. */
  readonly clear?: readonly ClearRule[] | undefined;
  /** Rows that share a request, at most. Default 1. */
  readonly rowsPerRequest?: number | undefined;
  readonly takes?: Takes | undefined;
  /** The version of the template that is asked: one that a person approved, or a number. Default: the file as it is. */
  readonly version?: "approved" | number | undefined;
  /** Of the row only these columns' changes make a value stale; template, references and model count in any case. Default: all inputs. */
  readonly staleBy?: readonly string[] | undefined;
  /** Of a step that asks questions of a table, instead of a template: whose, and the column with the question's words. */
  readonly inquire?: Inquire | undefined;
}

/** Which table questions are asked of: a plan, a file's path, `main:deck_log`; and the column with their words. */
export interface Inquire {
  readonly of: string;
  readonly words: string;
}

/** What stands for the template of a step that inquires, and for its input. */
export const INQUIRY = { template: "inquiry", input: "question" } as const;

/** Values that stand in a step's columns before it first fills them, and that it may write over; any other is a person's. */
export type Takes = readonly string[];

/** Plain columns, made without a model. */
export interface SetStep {
  /** Column -> Liquid over `row`, or CEL that gives a text, a number, true or false. */
  readonly set: Readonly<Record<string, MadeOf | OwnColumn | RuledColumn>>;
  /** CEL over `row`: the columns are made only for rows where it holds. */
  readonly when?: string | undefined;
  readonly takes?: Takes | undefined;
}

/** What a plain column is made of: Liquid over `row`, or CEL. */
export type MadeOf = string | { readonly cel: string };

/** A column that rules set after a fill; not something that a person writes. */
export interface RuledColumn {
  readonly ruled: TargetColumn;
}

/** A column that the table's rows are made with; not something that a person writes. */
export interface OwnColumn {
  readonly own: TargetColumn;
  /** It holds a list, an item on each line, of which a plan may make rows. */
  readonly holds?: "list" | undefined;
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
  /** Most rows asked about, and most money spent, in a day (of the project's time zone) by rounds of a watched plan. */
  readonly rowsPerDay?: number | undefined;
  readonly spendPerDay?: number | undefined;
  /** Most actions of rules after one fill. */
  readonly actions?: number | undefined;
}

/** When a plan is filled by itself. */
export interface Watch {
  /** At these times: a cron expression of five parts (minute, hour, day, month, weekday), in the project's time zone. */
  readonly every?: string | undefined;
  /** Whenever its table, or one that it reads beside it, has changed. */
  readonly changes?: boolean | undefined;
  /** Of a database's table: a column that grows with every change (a number, a time), by which changed rows are found. */
  readonly by?: string | undefined;
  /** How often a table that does not tell of its changes is looked at. Default 30. */
  readonly lookSeconds?: number | undefined;
}

export const DEFAULT_LOOK_SECONDS = 30;

/** Each day's answers are held against those of a reference time; sealed samples are asked again. */
export interface Drift {
  /** ISO 8601 days. Default: the first fourteen with answers. */
  readonly reference?: { readonly from: string; readonly to: string } | undefined;
  /** By chance there is one alarm in so many days. Default 100. */
  readonly falseAlarmDays?: number | undefined;
  /** What a watched plan does about it: it tells, or it asks nothing more until somebody has looked. Default `warn`. */
  readonly then?: "warn" | "hold" | undefined;
  /** The sealed samples of its templates are asked again every so many days. Default: never. */
  readonly sealedDays?: number | undefined;
}

/** What is done about a row once its cells are released. */
export interface AfterRule {
  /** What messages and the ledger call it. Default: what it does, and where. */
  readonly name?: string | undefined;
  /** CEL over `row`, and over `before`: the row as the rule last saw it, blank for a new one. Default: it always holds. */
  readonly when?: string | undefined;
  /** Column -> what it gets: `row.COLUMN`, Liquid, or CEL over `row` and `before`. */
  readonly set?: Readonly<Record<string, MadeOf>> | undefined;
  /** The other table whose columns are set, and which row of it: column there -> column here. */
  readonly in?: { readonly table: TableSource; readonly match: Readonly<Record<string, string>> } | undefined;
  /** A row of another table: there as long as the rule holds. */
  readonly append?:
    | {
        readonly table: TableSource;
        readonly set: Readonly<Record<string, MadeOf>>;
        /** Columns of that name in both tables which may be changed there, and come back. */
        readonly back?: readonly string[] | undefined;
      }
    | undefined;
  /** A message to another program. */
  readonly notify?:
    | {
        readonly url: string | { readonly env: string };
        /** The environment variable with the secret that signs it. Default: that of call-backs, `hosts.secret`. */
        readonly secret?: { readonly env: string } | undefined;
        /** The columns that it carries, besides the key. */
        readonly send: readonly string[];
      }
    | undefined;
  /** A step of the plan that is done only for the rows for which such a rule holds. */
  readonly step?: string | undefined;
}

/** Rules that act on rows once their cells are released. */
export interface Afterwards {
  readonly rules: readonly AfterRule[];
  /** Only the first rule that holds acts on a row. Default: all that hold. */
  readonly first: boolean;
  /** What is done where none holds; only with `first`. */
  readonly otherwise?: Omit<AfterRule, "when"> | undefined;
}

/** A rule that keeps values back until a person has decided. */
export interface HoldRule {
  /** CEL over `row`, the new values included, and `answer`: `answer.parts`, `answer.confidence`, `answer.notes` (their codes). */
  readonly when: string;
  /** The columns that it holds. Default: all that the answer gave. */
  readonly columns?: readonly string[] | undefined;
}

/** What becomes of values that nobody has decided about in time. */
export type Overdue = "wait" | "accept" | "leaveBlank";

/** What a person looks at before it counts. */
export interface Review {
  readonly hold: Readonly<Record<string, HoldRule>>;
  /** How many people must decide the same. Default 1. */
  readonly people: 1 | 2;
  /** Whether later steps wait for what is held; otherwise they read what is proposed. Default true. */
  readonly waits: boolean;
  readonly overdue?: { readonly afterDays: number; readonly then: Overdue } | undefined;
  /** Rows drawn at random, to find how many cells are wrong; `slices` are columns by which the figures are told apart. */
  readonly spotCheck?: { readonly rows: number; readonly seed: number; readonly slices: readonly string[] } | undefined;
  /** Values stay out of the table until a random check shows, so sure, that at most so great a share is wrong. */
  readonly release?: { readonly wrongAtMost: number; readonly sure: number; readonly columns?: readonly string[] | undefined } | undefined;
}

/**
 * Whose a column is: a person's value stays (`keep`), is set back to the machine's (`refuse`), or stays until what it rests on changes,
 * and is then asked again and held (`untilChanged`).
 */
export type Owner = "keep" | "refuse" | "untilChanged";

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
  readonly review?: Review | undefined;
  /** Column -> whose it is. Default: `keep`. */
  readonly edits?: Readonly<Record<string, Owner>> | undefined;
  /** CEL over `row`, filled columns included: rows that no step touches, whatever changes. */
  readonly freeze?: string | undefined;
  /** What is done about rows once their cells are released. */
  readonly afterwards?: Afterwards | undefined;
  /** When it is filled by itself. */
  readonly watch?: Watch | undefined;
  readonly drift?: Drift | undefined;
  /** What chat assistants may look up of a row. */
  readonly offer?: { readonly columns: readonly string[] } | undefined;
}

export const PLAN_FORMAT = "plan/1";
/** The step that makes the own columns of rows that are made of another plan's. */
export const OWN_STEP = "rows";
/** The step that stands for the columns that rules set. */
export const AFTER_STEP = "afterwards";
export const DEFAULT_AT_ONCE = 8;
export const MOST_ROWS_PER_REQUEST = 50;
export const OWNERS: readonly Owner[] = ["keep", "refuse", "untilChanged"];
/** Rules of our own that hold values: names that no rule of a plan may have. */
export const HOLDS = ["askedAgain", "decidedBefore", "edited", "release", "undone"] as const;
export const REFILLS: readonly Refill[] = ["blank", "stale", "failed", "all"];

export const isTemplateStep = (step: Step): step is TemplateStep => "template" in step;

/** The columns that a step writes. */
export const columnsOf = (step: Step): string[] => Object.keys(isTemplateStep(step) ? step.fill : step.set);

/** The template steps of a plan by name, as they stand in it. */
export function templateSteps({ steps }: Pick<Plan, "steps">): { readonly name: string; readonly step: TemplateStep }[] {
  return Object.entries(steps).flatMap(([name, step]) => (isTemplateStep(step) ? [{ name, step }] : []));
}

/** The templates of the project that a plan's steps ask, each once. */
export const templatesOf = (plan: Pick<Plan, "steps">): string[] => [
  ...new Set(templateSteps(plan).flatMap(({ step }) => (step.inquire ? [] : [step.template]))),
];

/** Whose a column is. */
export const ownerOf = ({ edits }: Pick<Plan, "edits">, column: string): Owner => edits?.[column] ?? "keep";

/** The step that writes a column. */
export function writerOf({ steps }: Pick<Plan, "steps">, column: string): string | undefined {
  return Object.entries(steps).find(([, step]) => columnsOf(step).includes(column))?.[0];
}

/** @throws YoroshiError `badOption` where an option names a column that no step of the plan fills. */
export function checkFilled({ name, steps }: Pick<Plan, "name" | "steps">, option: string, columns: readonly string[] = []): void {
  const known = Object.values(steps).flatMap(columnsOf);
  const unknown = columns.find((column) => !known.includes(column));
  if (unknown === undefined) return;
  const near = nearest(unknown, known);
  throw new YoroshiError("badOption", {
    option,
    problem: `the plan ${name} fills no column \`${unknown}\`.${near ? ` Did you mean \`${near}\`?` : ` It fills: ${known.join(", ")}.`}`,
  });
}

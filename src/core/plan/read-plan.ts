import * as z from "zod/mini";
import {
  isMade,
  checkShape,
  complain,
  documentOf,
  figuresShape,
  mapValues,
  readDocument,
  readTest,
  relatedRowsShape,
  tableSourceShape,
  YoroshiError,
  type Complaint,
  type FigureSource,
  type GroupsSource,
  type Json,
  type SourceDocument,
} from "../ground/index.js";
import { jsonSchemaOf } from "../kinds/index.js";
import { checkFormat } from "../template/index.js";
import { afterPlace, afterRules } from "./after-rules.js";
import { afterwardsShape } from "./after-shape.js";
import { adviseCondition } from "./condition-advice.js";
import { readCondition } from "./condition.js";
import {
  AFTER_STEP,
  columnsOf,
  HOLDS,
  INQUIRY,
  MOST_ROWS_PER_REQUEST,
  OWN_STEP,
  OWNERS,
  PLAN_FORMAT,
  REFILLS,
  type AfterRule,
  type Afterwards,
  type HoldRule,
  type Inquire,
  type Limits,
  type Overdue,
  type Owner,
  type Plan,
  type Refill,
  type Review,
  type SetStep,
  type Step,
  type TemplateStep,
} from "./plan.js";
import { readRuleValue, readSet } from "./set-column.js";

const name = z
  .string()
  .check(z.regex(/^[a-z0-9][a-z0-9-]*$/, "A name is made of small letters, digits and hyphens (for example `deck-log`)."));
const columns = z.record(z.string(), z.string());
const takes = z.optional(z.array(z.string()));
const someColumns = z.optional(z.array(z.string()).check(z.minLength(1, "Name at least one column.")));
const share = z.number().check(z.gt(0)).check(z.lt(1));

const review = z.strictObject({
  hold: z._default(
    z.record(
      z.string().check(z.regex(/^[A-Za-z][\w-]*$/, "The name of a rule is one word (for example `grave`).")),
      z.union(
        [z.string(), z.strictObject({ when: z.string(), columns: someColumns })],
        "Expected a condition, `row.severity >= 4`, or `{ when: …, columns: [ … ] }`.",
      ),
    ),
    {},
  ),
  people: z._default(z.union([z.literal(1), z.literal(2)], "Expected 1, or 2 who must agree."), 1),
  waits: z._default(z.boolean(), true),
  overdue: z.optional(
    z.strictObject({
      afterDays: z.number().check(z.gt(0)),
      // oxlint-disable-next-line unicorn/no-thenable -- a word, never a function
      then: z._default(z.enum(["wait", "accept", "leaveBlank"], "Expected wait, accept or leaveBlank."), "wait"),
    }),
  ),
  spotCheck: z.optional(
    z.strictObject({
      rows: z.int().check(z.gte(1)).check(z.lte(10_000)),
      seed: z._default(z.int(), 1),
      slices: z._default(z.array(z.string()), []),
    }),
  ),
  release: z.optional(z.strictObject({ wrongAtMost: share, sure: z._default(share, 0.95), columns: someColumns })),
});

const planFile = z.strictObject({
  yoroshi: z.optional(z.literal(PLAN_FORMAT)),
  name,
  title: z.optional(z.string()),
  table: tableSourceShape,
  related: z.optional(
    z.record(
      z.string(),
      z.strictObject({
        table: relatedRowsShape,
        match: columns.check(
          z.refine(
            (match) => Object.keys(match).length > 0,
            "Say which columns must be the same: `match: { <column there>: <column here> }`.",
          ),
        ),
        columns: z.optional(columns),
        order: z.optional(z.string()),
        limit: z.optional(z.int().check(z.gte(1)).check(z.lte(1000))),
        keep: z.optional(z.enum(["newest", "oldest"], "Expected newest or oldest.")),
        figures: z.optional(figuresShape),
      }),
    ),
  ),
  steps: z._default(
    z.record(
      z.string(),
      z.union(
        [
          z.strictObject({
            template: z.string(),
            inputs: z._default(columns, {}),
            fill: columns,
            when: z.optional(z.string()),
            clear: z.optional(z.array(z.strictObject({ when: z.string(), give: z.record(z.string(), z.json()) }))),
            rowsPerRequest: z.optional(z.int().check(z.gte(1)).check(z.lte(MOST_ROWS_PER_REQUEST))),
            takes,
            version: z.optional(
              z.union([z.literal("approved"), z.int().check(z.gte(1))], "Expected `approved`, or the number of a version."),
            ),
            staleBy: someColumns,
          }),
          z.pipe(
            z.strictObject({
              inquire: z.strictObject({ of: z.string().check(z.minLength(1)), words: z.string().check(z.minLength(1)) }),
              fill: columns,
              when: z.optional(z.string()),
              takes,
            }),
            z.transform((step) => ({ ...step, template: INQUIRY.template, inputs: { [INQUIRY.input]: step.inquire.words } })),
          ),
          z.strictObject({
            set: z.record(
              z.string(),
              z.union(
                [z.string(), z.strictObject({ cel: z.string() })],
                "Expected text with placeholders, `{{ row.vessel }}`, or `{ cel: <expression over row> }`.",
              ),
            ),
            when: z.optional(z.string()),
            takes,
          }),
        ],
        "Expected a step: a `template` with what it takes and fills, `inquire` with what it fills, or plain columns with `set`.",
      ),
    ),
    {},
  ),
  limits: z._default(
    z.strictObject({
      rows: z.optional(z.int().check(z.positive())),
      spend: z.optional(z.number().check(z.positive())),
      atOnce: z.optional(z.int().check(z.gte(1)).check(z.lte(1000))),
      rowsPerDay: z.optional(z.int().check(z.positive())),
      spendPerDay: z.optional(z.number().check(z.positive())),
      actions: z.optional(z.int().check(z.positive())),
    }),
    {},
  ),
  gate: z.optional(z.strictObject({ step: z.string(), part: z.string(), accuracyAtLeast: z.number().check(z.gte(0)).check(z.lte(1)) })),
  review: z.optional(review),
  edits: z.optional(
    z.union(
      [z.enum(OWNERS as [Owner, ...Owner[]]), z.record(z.string(), z.enum(OWNERS as [Owner, ...Owner[]]))],
      `Expected \`{ <column>: ${OWNERS.join(" | ")} }\`, or one of these for all columns.`,
    ),
  ),
  freeze: z.optional(z.string()),
  afterwards: z.optional(afterwardsShape),
  watch: z.optional(
    z
      .strictObject({
        every: z.optional(z.string()),
        changes: z.optional(z.boolean()),
        by: z.optional(z.string()),
        lookSeconds: z.optional(z.number().check(z.gte(1)).check(z.lte(86_400))),
      })
      .check(
        z.refine(
          ({ every, changes, by }) => every !== undefined || changes === true || by !== undefined,
          'Say when: `every: "*/10 7-19 * * 1-5"`, or `changes: true`.',
        ),
      ),
  ),
  drift: z.optional(
    z.strictObject({
      reference: z.optional(
        z
          .strictObject({ from: z.iso.date(), to: z.iso.date() })
          .check(z.refine(({ from, to }) => from <= to, "The reference ends before it begins.")),
      ),
      falseAlarmDays: z.optional(z.int().check(z.gte(2)).check(z.lte(100_000))),
      // oxlint-disable-next-line unicorn/no-thenable -- a word, never a function
      then: z.optional(z.enum(["warn", "hold"], "Expected warn or hold.")),
      sealedDays: z.optional(z.int().check(z.gte(1)).check(z.lte(365))),
    }),
  ),
  offer: z.optional(z.strictObject({ columns: z.array(z.string()).check(z.minLength(1, "Name at least one column.")) })),
  refill: z._default(z.enum(REFILLS as [Refill, ...Refill[]], `Expected one of ${REFILLS.join(", ")}.`), "stale"),
});

/** The JSON Schema of a plan file, for editors. */
export const planFileSchema = (): Record<string, Json> => jsonSchemaOf(planFile);

/** The shape that a person writes, in YAML or in TypeScript. */
export interface PlanShape extends Omit<Plan, "table" | "steps" | "limits" | "refill" | "review" | "edits" | "afterwards"> {
  /** `key` is left out where rows are made of groups: these name them. */
  readonly table: Plan["table"] | (Omit<Plan["table"], "key" | "groups"> & { readonly groups: GroupsSource });
  readonly steps?:
    | Readonly<
        Record<
          string,
          | SetStep
          | (Omit<TemplateStep, "inputs" | "inquire"> & { readonly inputs?: TemplateStep["inputs"] | undefined })
          | (Pick<TemplateStep, "fill" | "when" | "takes"> & { readonly inquire: Inquire })
        >
      >
    | undefined;
  readonly limits?: Limits | undefined;
  readonly refill?: Refill | undefined;
  readonly review?: ReviewShape | undefined;
  /** Whose the columns are: each by its name, or all. */
  readonly edits?: Owner | Plan["edits"];
  /** Rules, of which all that hold act; or, with `first`, the first that holds. */
  readonly afterwards?: readonly AfterRule[] | (Partial<Afterwards> & Pick<Afterwards, "rules">) | undefined;
}

type SpotCheck = NonNullable<Review["spotCheck"]>;

/** What is to be looked at, as a person writes it. */
export interface ReviewShape extends Partial<Omit<Review, "hold" | "spotCheck" | "release" | "overdue">> {
  readonly hold?: Readonly<Record<string, string | HoldRule>> | undefined;
  readonly spotCheck?: (Partial<SpotCheck> & Pick<SpotCheck, "rows">) | undefined;
  readonly release?:
    { readonly wrongAtMost: number; readonly sure?: number | undefined; readonly columns?: readonly string[] | undefined } | undefined;
  readonly overdue?: { readonly afterDays: number; readonly then?: Overdue | undefined } | undefined;
}

export interface PlanReading {
  readonly plan?: Plan;
  /** For further checks that name places. */
  readonly document?: SourceDocument;
  readonly complaints: readonly Complaint[];
}

/**
 * Reads a plan from YAML. Every mistake is reported with file, line and column; then there is no plan.
 *
 * @example
 * ```ts
 * import { formatComplaint, readPlan } from "yoroshi";
 *
 * const { plan, complaints } = readPlan("yoroshi: plan/1\nname: tones\ntable: { file: notes.csv }\nsteps: {}\n", "tones.yaml");
 * plan === undefined; // => true
 * console.log(complaints.map(formatComplaint));
 * ```
 */
export function readPlan(text: string, file: string): PlanReading {
  const { document, complaints } = readDocument(text, file);
  if (!document) return { complaints };
  const format = checkFormat(document, PLAN_FORMAT);
  return format ? { complaints: [format] } : readPlanDocument(document, adviseCondition);
}

/**
 * Makes a plan in code.
 *
 * @throws YoroshiError `filesInvalid` with every mistake found.
 * @example
 * ```ts
 * import { plan } from "yoroshi";
 *
 * const tones = plan({
 *   name: "tones",
 *   table: { file: "notes.csv", key: "id" },
 *   steps: { tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone" }, when: 'row.text != ""' } },
 *   limits: { rows: 500, spend: 2 },
 * });
 * tones.refill; // => "stale"
 * ```
 */
export function plan(shape: PlanShape): Plan {
  const { plan: made, complaints } = readPlanDocument(documentOf(shape, `plan ${shape.name}`));
  if (!made) throw new YoroshiError("filesInvalid", { complaints });
  return made;
}

/** The conditions of figures that are not CEL. */
function conditionFaults(
  { when, figures }: Pick<GroupsSource, "when"> & { readonly figures: Readonly<Record<string, FigureSource>> },
  at: readonly string[],
  document: SourceDocument,
  advise: Advise,
): Complaint[] {
  const conditions: [string | undefined, (string | number)[]][] = [[when, ["when"]]];
  for (const [name, figure] of Object.entries(figures)) {
    for (const key of ["count", "share", "shareOfTable", "where"] as const)
      if (!(key === "count" && figure.count === "all")) conditions.push([figure[key], ["figures", name, key]]);
  }
  return conditions.flatMap(([source, path]) => {
    const problem = source === undefined ? undefined : readCondition(source).problem;
    return problem === undefined ? [] : [complain("badCondition", document.at([...at, ...path]), { problem: advise(source!, problem) })];
  });
}

/** Related rows of which figures are wanted take none of what single rows are chosen by. */
function relatedFaults(related: z.output<typeof planFile>["related"], document: SourceDocument, advise: Advise): Complaint[] {
  return Object.entries(related ?? {}).flatMap(([name, { figures, columns: renamed, order, limit, keep }]) => {
    if (!figures) return [];
    const at = ["related", name];
    const given = Object.entries({ columns: renamed, order, limit, keep }).find(([, value]) => value !== undefined)?.[0];
    return [
      ...conditionFaults({ figures }, at, document, advise),
      ...(given === undefined
        ? []
        : [
            complain("badValue", document.atKey([...at, given]), {
              problem: `\`${given}\` chooses rows; figures are of all rows that belong to the row. Leave it out, or take \`where\` in a figure.`,
            }),
          ]),
    ];
  });
}

/** Says what to type instead of a condition that cannot be read; a plan that comes from code needs no such words. */
type Advise = (source: string, problem: string, ofAnswer?: boolean) => string;

function readPlanDocument(document: SourceDocument, advise: Advise = (_source, problem) => problem): PlanReading {
  const { value, complaints } = checkShape(planFile, document.value, document);
  if (!value) return { document, complaints };
  const found: Complaint[] = [];
  const steps = Object.entries(value.steps);
  const { groups } = value.table as Plan["table"];
  const isOfOthers = isMade(value.table as Plan["table"]);
  if (groups) found.push(...conditionFaults(groups, ["table", "groups"], document, advise));
  found.push(...relatedFaults(value.related, document, advise));
  if (OWN_STEP in value.steps && isOfOthers)
    found.push(
      complain("badValue", document.atKey(["steps", OWN_STEP]), {
        problem: `\`${OWN_STEP}\` is the step that makes the rows of this table. Give yours another name.`,
      }),
    );
  if (AFTER_STEP in value.steps)
    found.push(
      complain("badValue", document.atKey(["steps", AFTER_STEP]), {
        problem: `\`${AFTER_STEP}\` stands for the columns that rules set. Give your step another name.`,
      }),
    );
  if (steps.length === 0 && !isOfOthers)
    found.push(complain("missingKey", document.atKey(["steps"]), { key: "steps", hint: "A plan needs a step." }));
  const { gate } = value;
  if (gate && !("template" in (value.steps[gate.step] ?? {})))
    found.push(
      complain("badValue", document.at(["gate", "step"]), {
        problem: `The plan has no template step \`${gate.step}\`. Steps: ${Object.keys(value.steps).join(", ")}.`,
      }),
    );
  const writer = new Map<string, string>();
  for (const [stepName, step] of steps) {
    if ("fill" in step && Object.keys(step.fill).length === 0)
      found.push(
        complain("missingKey", document.atKey(["steps", stepName, "fill"]), {
          key: "fill",
          hint: "Say which column takes which part: `fill: { <column>: <part> }`.",
        }),
      );
    for (const column of columnsOf(step as Step)) {
      const before = writer.get(column);
      if (before !== undefined)
        found.push(
          complain("twoWriters", document.atKey(["steps", stepName, "fill" in step ? "fill" : "set", column]), {
            column,
            first: before,
            second: stepName,
          }),
        );
      writer.set(column, stepName);
    }
    for (const [column, source] of "set" in step ? Object.entries(step.set) : []) {
      const fault = readSet(column, source).problem;
      if (fault)
        found.push(
          complain("badValue", document.at(["steps", stepName, "set", column]), { problem: `\`${column}\` cannot be made: ${fault}.` }),
        );
    }
    const { problem } = step.when === undefined ? {} : readCondition(step.when);
    if (problem) found.push(complain("badCondition", document.at(["steps", stepName, "when"]), { problem: advise(step.when!, problem) }));
    for (const [index, rule] of ("clear" in step ? (step.clear ?? []) : []).entries()) {
      const fault = readCondition(rule.when).problem;
      if (fault)
        found.push(
          complain("badCondition", document.at(["steps", stepName, "clear", index, "when"]), { problem: advise(rule.when, fault) }),
        );
    }
  }
  found.push(...reviewFaults(value, document, advise), ...ruleFaults(value as Pick<Plan, "afterwards">, document, advise));
  if (found.length > 0) return { document, complaints: found };
  const { yoroshi: _, review: looked, edits, ...made } = value;
  const plan = {
    ...made,
    ...(looked
      ? { review: { ...looked, hold: mapValues(looked.hold, (rule) => (typeof rule === "string" ? { when: rule } : rule)) } }
      : {}),
    ...(edits
      ? { edits: typeof edits === "string" ? Object.fromEntries([...writer.keys()].map((column) => [column, edits])) : edits }
      : {}),
  };
  return { plan: plan as Plan, document, complaints: [] };
}

/** Rules of afterwards that cannot be read. */
function ruleFaults(plan: Pick<Plan, "afterwards">, document: SourceDocument, advise: Advise): Complaint[] {
  return afterRules(plan).flatMap(({ rule, path }) => {
    const at = afterPlace(document, path);
    const { problem } = rule.when === undefined ? {} : readTest(rule.when, ["row", "before"]);
    const values = (["set", "append"] as const).flatMap((act) =>
      Object.entries((act === "set" ? rule.set : rule.append?.set) ?? {}).flatMap(([column, source]) => {
        const fault = readRuleValue(column, source).problem;
        const place = document.at([...at, act, ...(act === "set" ? [] : ["set"]), column]);
        return fault === undefined ? [] : [complain("badValue", place, { problem: `\`${column}\` cannot be made: ${fault}.` })];
      }),
    );
    return [
      ...(problem === undefined ? [] : [complain("badCondition", document.at([...at, "when"]), { problem: advise(rule.when!, problem) })]),
      ...values,
    ];
  });
}

/** Rules of review, and `freeze`, that cannot be read. */
function reviewFaults({ review: looked, freeze }: z.output<typeof planFile>, document: SourceDocument, advise: Advise): Complaint[] {
  const found: Complaint[] = [];
  for (const [rule, said] of Object.entries(looked?.hold ?? {})) {
    const at = ["review", "hold", rule];
    if ((HOLDS as readonly string[]).includes(rule))
      found.push(complain("badValue", document.atKey(at), { problem: `\`${rule}\` is a rule of Yoroshi's own. Give yours another name.` }));
    const when = typeof said === "string" ? said : said.when;
    const { problem } = readTest(when, ["row", "answer"]);
    if (problem)
      found.push(
        complain("badCondition", document.at(typeof said === "string" ? at : [...at, "when"]), { problem: advise(when, problem, true) }),
      );
  }
  const { problem } = freeze === undefined ? {} : readCondition(freeze);
  if (problem) found.push(complain("badCondition", document.at(["freeze"]), { problem: advise(freeze!, problem) }));
  return found;
}

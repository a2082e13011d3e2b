import * as z from "zod";
import {
  columnsOf,
  ERRORS,
  fill,
  mapValues,
  ofPlan,
  partOf,
  plainJson,
  preflight,
  readGate,
  stepsBehind,
  targetColumns,
  YoroshiError,
  type FillOptions,
  type FillReport,
  type FillSetup,
} from "../core/index.js";
import { tokenizer } from "../files/index.js";
import type { Project } from "../project/index.js";
import { beginRules, followedShape, followPlan } from "./follow-rules.js";
import { choiceShape, modelIds, optionsFor, type Choice } from "./choose-rows.js";
import { defineJob, type JobContext } from "./job.js";
import { knownError, modelError } from "./known-error.js";
import { count, hostChangeShape, money, tally, tallyShape, toldNote } from "./schemas.js";
import { spreadFill } from "./spread-fill.js";
import { toldNotes } from "./told.js";
import { workersOf } from "./workers-seen.js";

const input = z.strictObject({
  ...choiceShape,
  /** Write into the file itself, with a backup, instead of a result beside it. */
  inPlace: z.boolean().optional(),
  /** Fill though the gate is closed. */
  ignoreGate: z.boolean().optional(),
  /** Ask models that are new to the project for a word first. Default true. */
  probe: z.boolean().optional(),
  /** Fill the plans whose rows are made of this one's, too. */
  derived: z.boolean().optional(),
  /** Rules act on rows, too, that were filled before the rules were there. */
  fromStart: z.boolean().optional(),
  /** Rows in `only` that are not there any more are no mistake. */
  orGone: z.boolean().optional(),
  /** A run that finds nothing to do leaves no trace in the list of runs. */
  quiet: z.boolean().optional(),
  /** Workers ask about the rows (`workOn`), on however many machines; what they leave is asked here. */
  spread: z.boolean().optional(),
  /** Rows that are handed out at a time. Default 200. */
  rowsPerChunk: z.int().min(1).max(10_000).optional(),
});

const filled = z.object({
  plan: z.string(),
  table: z.string(),
  target: z.string(),
  /** The plan whose rows its own are made of. */
  madeOf: z.string().optional(),
  model: z.string(),
  standin: z.boolean(),
  ...tallyShape,
  spent: money,
  /** What may have been charged for requests that broke off. */
  unsure: money,
  run: z.string(),
  end: z.enum(["done", "rowLimit", "spendCap", "interrupted", "failed"]),
  steps: z.record(z.string(), tally),
  newEdits: count,
  earlier: count,
  notes: z.array(toldNote),
  inVain: count,
  refused: z.array(z.object({ rows: count, keys: z.array(z.string()), columns: z.array(z.string()), problem: z.string() })),
  /** What models' hosts said of themselves for the first time, where it was something else before. */
  hosts: z.array(hostChangeShape),
  /** Whether anything that the ledger knows of a cell has changed. */
  changed: z.boolean(),
  written: z.boolean(),
  tookMs: z.number(),
  /** How the model failed that ended the run, and the error that this is to the user. */
  problem: z.string().optional(),
  error: z.object({ code: z.string(), message: z.string() }).optional(),
  capped: z.object({ why: z.enum(["run", "month", "request"]), needs: money, cap: money }).optional(),
  /** What the plan's rules did. */
  afterwards: followedShape.optional(),
});

const report = z.object({
  ...filled.shape,
  /** The plans whose rows are made of this one's. */
  feeds: z.array(z.string()),
  derived: z.array(filled).optional(),
});

export type FilledPlan = z.output<typeof filled>;
export type FillPlanReport = z.output<typeof report>;

const event = z.discriminatedUnion("type", [
  /** A plan is about to be filled. */
  z.object({ type: z.literal("begin"), plan: z.string() }),
  /** Something that a person should know before it begins. */
  z.object({ type: z.literal("notice"), text: z.string(), isWarning: z.boolean() }),
  z.object({
    type: z.literal("progress"),
    progress: z.object({
      /** How much of the table is done with or in flight, 0 to 1. */
      share: z.number(),
      rows: count,
      asked: count,
      reused: count,
      failed: count,
      inFlight: count,
      spent: money,
    }),
  }),
  /** How far the workers are. */
  z.object({
    type: z.literal("spread"),
    progress: z.object({
      planned: count,
      isPlanned: z.boolean(),
      done: count,
      asked: count,
      /** Chunks that were taken more than once. */
      again: count,
      /** Processes that work at this moment. */
      workers: count,
    }),
  }),
  /** A model's host keeps failing, so that the run waits for it, or answers again. */
  z.object({ type: z.literal("host"), host: z.string(), state: z.enum(["open", "closed"]), problem: z.string().optional() }),
  /** A plan is filled, as far as it could be. */
  z.object({ type: z.literal("end"), filled }),
]);

export type FillPlanEvent = z.output<typeof event>;

/** Fills a plan, and those made of its rows where that is asked for. */
export const fillPlan = defineJob<typeof input, typeof report, FillPlanEvent>({
  name: "fillPlan",
  summary: "Fills the columns of a plan: asks what is needed and not known, and writes the table.",
  input,
  report,
  event,
  async run(project, choice, context) {
    const derived: FilledPlan[] = [];
    const first = await fillOne(project, choice, context, derived);
    const feeds = [...(await project.derivedFrom(choice.plan))];
    const done = new Set(derived.map(({ plan }) => plan));
    for (const plan of choice.derived && exitOf(first) <= 1 ? feeds.filter((one) => !done.has(one)) : []) {
      const { probe, createColumns, spend } = choice;
      const one = await fillOne(project, { plan, probe, createColumns, spend }, context);
      derived.push(one);
      // What is made of rows that are not all there would be made anew at once.
      if (exitOf(one) > 1) break;
    }
    return { ...first, feeds, ...(derived.length > 0 ? { derived } : {}) };
  },
});

/** 1 for what this run could have mended, not for rows that fail however often they are read; 3 and the like for an error. */
export function exitOf({ end, inVain, refused, error, afterwards }: FilledPlan): number {
  if (error) return ERRORS[error.code as keyof typeof ERRORS]?.exit ?? 3;
  if (end === "interrupted") return 130;
  const isLeft =
    afterwards !== undefined &&
    (afterwards.messages.waiting > 0 ||
      afterwards.back.conflicts.length > 0 ||
      afterwards.tables.some(({ problem }) => problem !== undefined));
  return inVain > 0 || refused.length > 0 || end === "spendCap" || isLeft ? 1 : 0;
}

type OneChoice = Choice & {
  readonly spread?: boolean | undefined;
  readonly rowsPerChunk?: number | undefined;
  readonly inPlace?: boolean | undefined;
  readonly ignoreGate?: boolean | undefined;
  readonly probe?: boolean | undefined;
  readonly fromStart?: boolean | undefined;
  readonly orGone?: boolean | undefined;
  readonly quiet?: boolean | undefined;
};

/** @param children takes what was filled of plans whose totals come back into this one. */
async function fillOne(
  project: Project,
  choice: OneChoice,
  context: JobContext<FillPlanEvent>,
  children: FilledPlan[] = [],
): Promise<FilledPlan> {
  context.on?.({ type: "begin", plan: choice.plan });
  const open = async (): Promise<{ setup: FillSetup; isStandin: boolean }> =>
    project.fillSetup(choice.plan, { inPlace: choice.inPlace === true, asks: true });
  const { setup: whole, isStandin } = await open();
  const options = { ...(await optionsFor(project, whole, choice)), orGone: choice.orGone, quiet: choice.quiet };
  let setup = await partOf(whole, options.only);
  if (choice.createColumns) await tellColumns(setup, context);
  await passGate(setup, choice.ignoreGate === true, context);
  const problems = await preflight(setup, { ...options, tokenizer, probe: choice.probe !== false && !isStandin, signal: context.signal });
  if (problems.length > 1) throw new YoroshiError("notReady", { plan: setup.plan.name, problems: problems.map(({ message }) => message) });
  for (const { error, host } of problems) throw error instanceof YoroshiError ? error : modelError(error, host);
  await beginRules(setup);
  const totals = await totalsOf(project, setup, options.columns);
  const run = async (columns: readonly string[] | undefined): Promise<FilledPlan> =>
    runFill(project, setup, isStandin, columns ? { ...options, columns } : options, context, choice.spread ? choice : undefined);
  let first = await run(totals && totals.before);
  if (totals && first.end !== "interrupted" && exitOf(first) <= 1) {
    const { probe, createColumns, spend } = choice;
    for (const plan of totals.children) {
      context.on?.({ type: "end", filled: first });
      children.push(await fillOne(project, { plan, probe, createColumns, spend }, context));
      context.on?.({ type: "begin", plan: choice.plan });
    }
    setup = await partOf((await open()).setup, options.only);
    first = together(first, await run(totals.after), totals.after, setup);
  }
  const filledPlan = await followed(project, setup, choice, context, first, (columns) =>
    runFill(
      project,
      setup,
      isStandin,
      { spendCap: options.spendCap, stop: options.stop, columns, createColumns: options.createColumns },
      context,
    ),
  );
  context.on?.({ type: "end", filled: filledPlan });
  return filledPlan;
}

/** Columns that totals of child rows go into, by way of plans that are made of this one's rows: these are filled in between. */
async function totalsOf(
  project: Project,
  { plan, asking }: FillSetup,
  chosen: readonly string[] | undefined,
): Promise<{ readonly children: readonly string[]; readonly before: readonly string[]; readonly after: readonly string[] } | undefined> {
  const feeds = await project.derivedFrom(plan.name);
  const sums = Object.entries(plan.related ?? {}).flatMap(([name, { table, figures }]) =>
    figures && ofPlan(table) && feeds.includes(table.plan) ? [{ name, child: table.plan }] : [],
  );
  if (sums.length === 0) return undefined;
  const names = new Set(sums.map(({ name }) => name));
  const late = stepsBehind(
    plan,
    mapValues(asking, ({ prepared }) => prepared.template),
    names,
  );
  const columns = (isLate: boolean): string[] =>
    Object.entries(plan.steps)
      .filter(([step]) => late.has(step) === isLate)
      .flatMap(([, step]) => columnsOf(step))
      .filter((column) => chosen === undefined || chosen.includes(column));
  const [before, after] = [columns(false), columns(true)];
  return before.length === 0 || after.length === 0 ? undefined : { children: [...new Set(sums.map(({ child }) => child))], before, after };
}

/** What the plan's rules make of the rows as they now stand, with the steps that they have done. */
async function followed(
  project: Project,
  setup: FillSetup,
  { fromStart }: OneChoice,
  { signal, stop }: JobContext<FillPlanEvent>,
  first: FilledPlan,
  doSteps: (columns: readonly string[]) => Promise<FilledPlan>,
): Promise<FilledPlan> {
  if (!setup.plan.afterwards || first.end === "interrupted" || signal?.aborted || stop?.aborted) return first;
  let now = first;
  const afterwards = await followPlan(project, setup, {
    run: first.run,
    fromStart,
    signal,
    doSteps: async (columns) => {
      const next = await doSteps(columns);
      now = together(now, next, columns, setup);
      return { end: next.end, isFailed: next.error !== undefined };
    },
  });
  return afterwards ? { ...now, afterwards } : now;
}

/** A run with one that did some of its steps after it. */
function together(first: FilledPlan, next: FilledPlan, columns: readonly string[], { plan }: FillSetup): FilledPlan {
  const done = Object.keys(next.steps).filter((step) =>
    columnsOf(plan.steps[step] ?? { set: {} }).some((column) => columns.includes(column)),
  );
  const { end, error, problem, capped } = next;
  return {
    ...first,
    steps: { ...first.steps, ...Object.fromEntries(done.map((step) => [step, next.steps[step]!])) },
    asked: first.asked + next.asked,
    tokensIn: first.tokensIn + next.tokensIn,
    tokensOut: first.tokensOut + next.tokensOut,
    spent: first.spent + next.spent,
    unsure: first.unsure + next.unsure,
    inVain: first.inVain + next.inVain,
    hosts: [...first.hosts, ...next.hosts],
    changed: first.changed || next.changed,
    written: first.written || next.written,
    tookMs: first.tookMs + next.tookMs,
    ...(end === "done" ? {} : { end, error, problem, capped }),
  };
}

async function tellColumns({ table, ...setup }: FillSetup, { on }: JobContext<FillPlanEvent>): Promise<void> {
  const statements = (await table.missingColumns?.(targetColumns(setup))) ?? [];
  for (const statement of statements) on?.({ type: "notice", text: `${statement};`, isWarning: false });
}

async function passGate(setup: FillSetup, isIgnored: boolean, { on }: JobContext<FillPlanEvent>): Promise<void> {
  const gate = await readGate(setup);
  if (gate.open) return;
  if (!isIgnored) throw new YoroshiError("gateClosed", { plan: setup.plan.name, template: gate.template, reason: gate.reason });
  on?.({ type: "notice", text: `Filled in spite of the gate: ${gate.reason}.`, isWarning: true });
}

async function runFill(
  project: Project,
  setup: FillSetup,
  isStandin: boolean,
  options: FillOptions,
  { signal, stop, on }: JobContext<FillPlanEvent>,
  spread?: Pick<OneChoice, "rowsPerChunk">,
): Promise<FilledPlan> {
  const handedOut =
    spread &&
    spreadFill(project, setup, options, {
      rowsPerChunk: spread.rowsPerChunk,
      stop: stop ?? signal,
      // A database that is away for the moment is told of by whoever waits for it.
      onProgress: (progress) =>
        void workersOf(project).then(
          ({ size }) => on?.({ type: "spread", progress: { ...progress, workers: size } }),
          () => undefined,
        ),
      onHost: (host, problem) =>
        on?.({ type: "host", host, ...(problem === undefined ? { state: "closed" } : { state: "open", problem }) }),
    });
  const log = await project.runLog(setup.plan.name);
  try {
    const report = await fill(setup, {
      ...options,
      observed: log.observed,
      spread: handedOut,
      stop,
      signal,
      on: {
        progress: (progress) => on?.({ type: "progress", progress: { ...progress, spent: progress.spent / 1e6 } }),
        breaker: ({ id, host }, state, failure) => {
          log.note(state === "open" ? "host down" : "host back", { model: id, kind: failure?.kind });
          on?.({ type: "host", host, state, ...(failure ? { problem: failure.message } : {}) });
        },
      },
    });
    const { error: failure, errorHost: _, steps: __, ...figures } = report;
    log.note("fill ended", { ...figures, failure: failure?.kind });
    return reportOf(report, setup, isStandin);
  } finally {
    await log.close();
  }
}

function reportOf(report: FillReport, setup: FillSetup, isStandin: boolean): FilledPlan {
  const { items, groups } = setup.plan.table;
  const madeOf = (items ?? groups)?.of;
  const { error, errorHost, spent, unsure, steps, capped, notes, refused, hosts, ...rest } = report;
  const { code = "", message = "" } = error ? knownError(modelError(error, errorHost ?? "")) : {};
  return {
    plan: setup.plan.name,
    table: setup.table.name,
    target: setup.table.target,
    ...(madeOf === undefined ? {} : { madeOf }),
    model: modelIds(setup),
    standin: isStandin,
    ...rest,
    notes: toldNotes(notes),
    hosts: hosts.map((change) => plainJson(change) as z.input<typeof hostChangeShape>),
    refused: refused.map((one) => ({ ...one, keys: [...one.keys], columns: [...one.columns] })),
    steps: Object.fromEntries(Object.entries(steps).map(([name, one]) => [name, { ...one, spent: one.spent / 1e6 }])),
    spent: spent / 1e6,
    unsure: unsure / 1e6,
    ...(error ? { problem: error.kind, error: { code, message } } : {}),
    ...(capped ? { capped: { why: capped.why, needs: capped.needs / 1e6, cap: capped.cap / 1e6 } } : {}),
  };
}

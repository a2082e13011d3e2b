import type { FillOptions, StepWork, Work, ToldNote } from "../cells/index.js";
import * as z from "zod/mini";
import { canonicalJson, keep, plainJson, readKept, sha256Hex, type Json, type Remark, type StoredForm } from "../ground/index.js";
import { TALLY, type Tally } from "./tally.js";
import { hasSources } from "../template/index.js";

/** The figures of each step, by its name. */
export type StepTallies = Readonly<Record<string, Tally>>;

/** What a run left behind that had nothing more to do: another over the same things would do nothing. */
interface Settled extends Left {
  readonly mark: string;
}

/** The figures of such a run, and what it told. */
export interface Left {
  readonly tallies: StepTallies;
  readonly notes: readonly ToldNote[];
}

// Of a code that is not known, sentences tell the code itself.
const remark = z.custom<Remark>((value) => typeof (value as { code?: unknown } | null)?.code === "string");

const SETTLED: StoredForm<Settled> = {
  // The first form kept sentences.
  format: 2,
  schema: z.object({
    mark: z.string(),
    tallies: z.record(z.string(), TALLY),
    notes: z.array(z.object({ remark, rows: z.number(), keys: z.array(z.string()) })),
  }),
};

/** The marks of all that a run reads. */
export interface Sources {
  readonly source: string;
  readonly related: readonly string[];
}

/** The marks of all that a run is about to read; `undefined` where a table cannot tell whether it changed. */
export async function readSources(work: Pick<Work, "table" | "related">): Promise<Sources | undefined> {
  const source = await work.table.sourceMark();
  if (source === undefined) return undefined;
  const related: string[] = [];
  for (const [name, rows] of Object.entries(work.related ?? {})) {
    const mark = await rows.mark();
    if (mark === undefined) return undefined;
    related.push(name, mark);
  }
  return { source, related };
}

const noteName = (work: Pick<Work, "plan">): string => `settled:${work.plan.name}`;

/**
 * A hash of all that the decisions about all rows rest on: the source and the result as they stand, templates, models,
 * references and the steps themselves. `undefined` where a table cannot tell whether it changed.
 */
async function markOf(work: Work, sources: Sources | undefined, standing: string | undefined): Promise<string | undefined> {
  if (sources === undefined || standing === undefined) return undefined;
  const { source, related } = sources;
  return sha256Hex(
    canonicalJson({
      source,
      standing,
      related: related.length > 0 ? [[...related], plainJson(work.plan.related!)] : undefined,
      refill: work.refill,
      written: writtenMark(work),
      steps: work.steps.map(markOfStep),
      key: work.table.keyColumns,
      states: work.table.showsStates,
      owners: ownersMark(work),
    }),
  );
}

/** Who decides about values, and whose they are. */
const ownersMark = ({ plan: { review, edits, freeze } }: Work): Json | undefined =>
  (review ?? edits ?? freeze) ? plainJson({ review, edits, freeze }) : undefined;

/** How the plan says that its table's numbers and days are written. */
function writtenMark({
  plan: {
    table: { numbers, dates, columns },
  },
}: Work): Json | undefined {
  return (numbers ?? dates ?? columns) ? plainJson({ numbers, dates, columns }) : undefined;
}

function markOfStep({ name, step, does }: StepWork): Json {
  return { name, step: plainJson(step), ...(does.kind === "ask" ? { asked: does.fingerprint({}), from: does.from } : {}) };
}

const isWhole = (work: Work, options: FillOptions): boolean =>
  work.table.onlyKeys === undefined &&
  work.only === undefined &&
  work.where === undefined &&
  work.chosenSteps === undefined &&
  work.overwrite.size === 0 &&
  work.renews !== true &&
  // What lies elsewhere changes without the table's doing.
  !work.steps.some(({ does }) => does.kind === "ask" && hasSources(does.prepared)) &&
  (work.refill === "stale" || work.refill === "blank") &&
  options.stop?.aborted !== true;

/**
 * The figures of the last run, when nothing has changed since it had nothing left to do. Then a million rows need
 * not be read to find that none needs an answer.
 */
export async function settledTallies(work: Work, options: FillOptions): Promise<Left | undefined> {
  if (!isWhole(work, options)) return undefined;
  const note = readKept(SETTLED, await work.ledger.facts.get(noteName(work)));
  if (!note || note.mark !== (await markOf(work, await readSources(work), await work.table.standingMark()))) return undefined;
  const tallies = Object.fromEntries(
    Object.entries(note.tallies).map(([step, tally]) => [
      step,
      { ...tally, asked: 0, reused: tally.filled - tally.ruled, tokensIn: 0, tokensOut: 0, spent: 0 },
    ]),
  );
  return { tallies, notes: note.notes };
}

/** From now on the last run's figures stand no more: the ledger is about to change. */
export async function forgetSettled({ ledger, plan }: Pick<Work, "ledger" | "plan">): Promise<void> {
  const name = noteName({ plan });
  if (await ledger.facts.get(name)) await ledger.facts.set(name, null);
}

/**
 * Keeps that a run had nothing left to do, with the marks of what it read and left: what has changed while it ran, or since, differs.
 *
 * @param read what it was about to read.
 * @param left the mark of the table as it read or wrote it.
 */
export async function keepSettled(
  work: Work,
  options: FillOptions,
  now: Left,
  { read, left }: { readonly read: Sources | undefined; readonly left: string | undefined },
): Promise<void> {
  if (!isWhole(work, options)) return;
  // A source that is its own result stands as it was left.
  const isItself = read !== undefined && left !== undefined && (await work.table.sourceMark()) === left;
  const mark = await markOf(work, isItself ? { ...read, source: left } : read, left);
  if (mark !== undefined) await work.ledger.facts.set(noteName(work), keep(SETTLED, { mark, ...now }));
}

/** What stands for a plan's last run that had nothing left to do; `undefined` where something was left, or has been changed by us since. */
export async function settledSince({ ledger, plan }: Pick<Work, "ledger" | "plan">): Promise<Json | undefined> {
  return (await ledger.facts.get(noteName({ plan }))) ?? undefined;
}

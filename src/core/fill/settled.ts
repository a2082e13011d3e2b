import { canonicalJson, sha256Hex, type Json } from "../ground/index.js";
import type { FillOptions, Work } from "./setup.js";
import type { Tally } from "./tally.js";

/** What a run left behind that had nothing more to do: another over the same things would do nothing. */
interface Settled {
  readonly mark: string;
  readonly tally: Tally;
}

const noteName = (work: Work): string => `settled:${work.plan.name}:${work.stepName}`;

/**
 * A hash of all that the decisions about all rows rest on: the source and the result as they stand, template, model,
 * references and the step itself. `undefined` where a table cannot tell whether it changed.
 */
async function markOf(work: Work): Promise<string | undefined> {
  const source = await work.table.sourceMark();
  const standing = await work.table.standingMark();
  if (source === undefined || standing === undefined) return undefined;
  const related: string[] = [];
  for (const [name, rows] of Object.entries(work.related ?? {})) {
    const mark = await rows.mark();
    if (mark === undefined) return undefined;
    related.push(name, mark);
  }
  return sha256Hex(canonicalJson({ source, standing, related: related.length > 0 ? [related, work.plan.related] : undefined, rules: work.step.clear, refill: work.refill, asked: work.fingerprint({}), from: work.from, fill: work.step.fill, when: work.step.when, key: work.table.keyColumns }));
}

const isWhole = (work: Work, options: FillOptions): boolean =>
  work.only === undefined && work.where === undefined && work.overwrite.size === 0 && (work.refill === "stale" || work.refill === "blank") && options.stop?.aborted !== true;

/**
 * The figures of the last run, when nothing has changed since it had nothing left to do. Then a million rows need
 * not be read to find that none needs an answer.
 */
export async function settledTally(work: Work, options: FillOptions): Promise<Tally | undefined> {
  if (!isWhole(work, options)) return undefined;
  const note = (await work.ledger.note(noteName(work))) as Settled | undefined;
  if (!note || note.mark !== (await markOf(work))) return undefined;
  const { filled } = note.tally;
  return { ...note.tally, asked: 0, reused: filled - note.tally.ruled, tokensIn: 0, tokensOut: 0, spent: 0 };
}

/** Keeps that a run had nothing left to do. */
export async function keepSettled(work: Work, options: FillOptions, tally: Tally): Promise<void> {
  if (!isWhole(work, options)) return;
  const mark = await markOf(work);
  if (mark !== undefined) await work.ledger.setNote(noteName(work), { mark, tally } as unknown as Json);
}

import { remark, YoroshiError } from "../ground/index.js";
import { restandingCells, type FillSetup, type Work } from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import type { CellRecord, DecidedCell, DecisionRecord, HeldCells } from "../ledger/index.js";
import { judgedMark } from "../review/index.js";
import type { CellValue } from "../table/index.js";
import { decidingWork, withRow } from "./decide-row.js";

/** What became of a decision that is taken back. */
export interface Undone {
  readonly act: string;
  readonly key: string;
  readonly step: string;
  /** The columns whose values wait again, or stand as before. */
  readonly columns: readonly string[];
  /** Columns that were answered or decided anew since: they stay as they are. */
  readonly movedOn: readonly string[];
}

/**
 * Takes a decision back, at any time: its values wait again, as they did before it.
 *
 * @param act of the decision; or the key of a row, for the newest decision about it.
 * @throws YoroshiError `notFound`.
 */
export async function undoDecision(setup: FillSetup, { act, key, by }: { act?: string; key?: string; by: string }): Promise<Undone> {
  const work = await decidingWork(setup);
  const found = act !== undefined ? await work.ledger.decisions.act(act) : await newestOf(work, key ?? "");
  const [first] = found;
  if (!first || first.plan !== work.plan.name || first.undone)
    throw new YoroshiError("notFound", { what: "decision to take back, by act or key,", name: act ?? key ?? "", known: [] });
  return withRow(work, first.step, first.key, async (one, record) => {
    const undone = { act: first.act, by, at: work.clock.now() };
    const { next, columns, movedOn } = takenBack(record, found);
    const cells = next ? [restandingCells(work, one, record, next, "review")] : [];
    await work.ledger.record({ undone, cells });
    await forgetSettled(work);
    return { act: first.act, key: first.key, step: first.step, columns, movedOn };
  });
}

async function newestOf({ plan, ledger, steps }: Work, key: string): Promise<DecisionRecord[]> {
  const all: DecisionRecord[] = [];
  for (const { name } of steps) all.push(...(await ledger.decisions.of(plan.name, name, key)));
  const standing = all.filter(({ undone, how }) => !undone && how !== "setBack").sort((a, b) => a.at - b.at);
  const newest = standing.at(-1);
  return standing.filter(({ act }) => act === newest?.act);
}

/** A row's cells as they were before decisions, as far as they still stand as these left them. */
function takenBack(
  record: CellRecord,
  decisions: readonly DecisionRecord[],
): { readonly next: CellRecord | undefined; readonly columns: string[]; readonly movedOn: string[] } {
  const values: Record<string, CellValue> = { ...record.values };
  const held: Record<string, CellValue> = { ...record.held?.values };
  const by: Record<string, readonly string[]> = { ...record.held?.by };
  const decided: Record<string, DecidedCell> = { ...record.decided };
  const columns: string[] = [];
  const movedOn: string[] = [];
  let { again } = record;
  const shown = decisions.find((one) => one.shown)?.shown;
  for (const { column, judged, value, stood, rules = [], how, act } of decisions) {
    if (how === "askAgain") {
      if (judged === judgedMark(record.fingerprint ?? "", column, held[column] ?? values[column])) {
        again = undefined;
        columns.push(column);
      } else movedOn.push(column);
      continue;
    }
    if (decided[column]?.act !== act) {
      // Others had to agree, so nothing had changed yet; or something else has come since.
      (held[column] === undefined ? movedOn : columns).push(column);
      continue;
    }
    delete decided[column];
    columns.push(column);
    if (rules.length > 0 && value !== undefined) {
      held[column] = value;
      for (const rule of rules) by[rule] = [...new Set([...(by[rule] ?? []), column])];
    }
    if (stood === undefined) delete values[column];
    else values[column] = stood;
  }
  if (columns.length === 0) return { next: undefined, columns, movedOn };
  const isHeld = Object.keys(held).length > 0;
  const next: CellRecord = {
    ...record,
    values,
    again,
    decided: Object.keys(decided).length > 0 ? decided : undefined,
    held: isHeld ? { ...(record.held ?? shown ?? heldAnew(record)), values: held, by } : undefined,
    state: isHeld ? "held" : Object.keys(values).length > 0 ? "filled" : "skipped",
    reason: isHeld ? remark("held", { rules: Object.keys(by) }) : undefined,
  };
  return { next, columns, movedOn };
}

/** What is known of values that wait again where nothing of the row was held when they were decided. */
const heldAnew = ({ at, key }: CellRecord): Omit<HeldCells, "values" | "by"> => ({ since: at, row: {}, place: key, like: `undone ${key}` });

import { remark } from "../ground/index.js";
import { considerAll, type FillSetup } from "../cells/index.js";
import { workOf } from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import type { CellRecord, DecisionRecord } from "../ledger/index.js";
import { judgedMark } from "../review/index.js";
import { decidingWork, newAct } from "./decide-row.js";

export interface LetStand {
  /** Only rows for which this CEL over `row` holds. */
  readonly where?: string | undefined;
  readonly only?: readonly string[] | undefined;
  readonly by: string;
}

/**
 * Values that are out of date stand as they are from now on, until what they rest on changes once more. Gives how many rows, by step.
 */
export async function letStand(setup: FillSetup, { where, only, by }: LetStand): Promise<Record<string, number>> {
  const work = { ...(await decidingWork(setup)), ...workOf(setup, { refill: "stale", where, only }) };
  const rows: Record<string, number> = {};
  for await (const steps of considerAll(work)) {
    for (const { one, rows: considered } of steps) {
      rows[one.name] ??= 0;
      const cells: CellRecord[] = [];
      const decisions: DecisionRecord[] = [];
      for (const { record, decision } of considered) {
        if (decision.do !== "answer" || decision.was !== "stale" || !record) continue;
        const at = work.clock.now();
        const act = newAct(work.clock);
        const notes = (record.notes ?? []).filter(({ code }) => code !== "letStand");
        cells.push({
          ...record,
          state: "filled",
          reason: undefined,
          notes: [...notes, remark("letStand", { by })],
          letStand: { on: decision.fingerprint, by, at },
        });
        for (const [column, value] of Object.entries(record.values))
          decisions.push({
            act,
            plan: work.plan.name,
            step: one.name,
            key: record.key,
            column,
            how: "letStand",
            judged: judgedMark(record.fingerprint ?? "", column, value),
            value,
            by,
            at,
          });
      }
      rows[one.name]! += cells.length;
      if (cells.length > 0) await work.ledger.record({ cells, decisions });
    }
  }
  await forgetSettled(work);
  return rows;
}

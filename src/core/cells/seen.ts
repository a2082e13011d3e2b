import { patternsReady, remark, type Remark } from "../ground/index.js";
import type { CellRecord, CellState } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import { changesOf } from "./changes.js";
import type { Decision } from "./decide.js";
import { absorbEdits } from "./edits.js";
import { columnState } from "./hold-values.js";
import { workOf, type FillSetup, type Target, type Work } from "./setup.js";
import { considerAll } from "./walk.js";

/** A cell of a filled column, as a person sees it. */
export interface SeenCell {
  readonly column: string;
  /** The text that stands in it, or will once the table is written; "" where it is empty. */
  readonly value: string;
  readonly state: CellState;
  /** Why it is empty or out of date. */
  readonly reason?: Remark | undefined;
  /** What waits for a decision. */
  readonly held?: string | undefined;
  /** Who put the value there instead of a model, and why; "" where nobody said who. */
  readonly by?: { readonly person: string; readonly reason?: string | undefined } | undefined;
}

/** A row with the cells that a plan fills in it. */
export interface SeenRow {
  readonly row: Row;
  readonly cells: readonly SeenCell[];
}

/**
 * Every row of a plan's table, in its order, with how the cells stand that the plan fills. Asks nothing.
 *
 * @param rows only these, as they were read before: what the ledger says of them is looked up anew. Default: the table is read, and a
 * person's edits are looked for first.
 * @param about.absorbs whether edits are looked for before the table is read, which takes as long as reading it. Default true.
 */
export async function* seenRows(
  setup: FillSetup,
  rows?: readonly Row[],
  { absorbs = true }: { readonly absorbs?: boolean } = {},
): AsyncGenerator<readonly SeenRow[]> {
  const table = rows === undefined ? setup.table : (Object.create(setup.table, { read: { value: onlyOnce(rows) } }) as FillSetup["table"]);
  const work = workOf({ ...setup, table }, { refill: "stale" });
  await patternsReady();
  if (rows === undefined && absorbs) await absorbEdits(work, "status");
  for await (const steps of considerAll(work)) {
    const count = steps[0]?.rows.length ?? 0;
    const cells: SeenCell[][] = Array.from({ length: count }, () => []);
    for (const { one, rows: considered } of steps) {
      const changes = await changesOf(work, one, considered);
      for (const [index, { passed, record, decision }] of considered.entries()) {
        const state = stateOf(decision);
        const reason = reasonOf(decision, record?.reason, state, changes[index]);
        for (const target of one.targets) cells[index]!.push(seenCell(work, target, passed.row, record, state, reason));
      }
    }
    yield cells.map((own, index) => ({ row: steps[0]!.rows[index]!.passed.row, cells: own }));
  }
}

const onlyOnce = (rows: readonly Row[]) =>
  async function* read(): AsyncGenerator<{ readonly rows: readonly Row[]; readonly share: number }> {
    yield { rows, share: 1 };
  };

function seenCell(
  { table }: Work,
  target: Target,
  row: Row,
  record: CellRecord | undefined,
  state: CellState,
  reason: Remark | undefined,
): SeenCell {
  const { name } = target;
  const decided = record?.decided?.[name];
  const own = ownState(record, name, state);
  const by = own === "edited" ? { person: decided?.by ?? "", reason: decided?.reason } : undefined;
  const value = record?.edited?.[name] ?? textOf(record?.values[name], row.values[name]);
  const held = record?.held?.values[name];
  return {
    column: name,
    value,
    state: own,
    ...(own === "filled" || own === "edited" || !reason ? {} : { reason }),
    ...(held === undefined ? {} : { held: table.asWritten(target, held) }),
    ...(by ? { by } : {}),
  };

  function textOf(given: CellRecord["values"][string] | undefined, stands: string | undefined): string {
    return given === undefined ? (record ? "" : (stands ?? "")) : table.asWritten(target, given);
  }
}

/** How one column stands in a row whose cells stand so. */
export function ownState(record: CellRecord | undefined, column: string, state: CellState): CellState {
  const own = columnState(record, column);
  // What a person typed into the table stays theirs; of what they gave in a review it is told once more that it is out of date.
  const isTheirs = own === "edited" && (record?.edited?.[column] !== undefined || state === "filled");
  return isTheirs || (state === "held" && record?.held) || own === "skipped" ? own : state;
}

/** The state in which a row's cells stand before anything is done about them. */
export function stateOf(decision: Decision): CellState {
  if (decision.do === "give" || decision.do === "set") return "blank";
  if (decision.do === "release") return "held";
  return decision.do === "answer" ? decision.was : decision.state;
}

/** Why cells stand so. */
export function reasonOf(decision: Decision, recorded: Remark | undefined, state: CellState, changed: Remark | undefined): Remark {
  if (decision.do === "leave" || decision.do === "mark") return decision.reason ?? recorded ?? remark("unknown");
  if (state === "stale") return recorded?.code === "notRenewed" ? recorded : (changed ?? recorded ?? remark("changed"));
  return state === "failed" ? (recorded ?? remark("failed")) : remark("notYet");
}

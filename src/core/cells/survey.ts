import { patternsReady, remark, sentenceOf, type Remark } from "../ground/index.js";
import type { CellState } from "../ledger/index.js";
import { PROMPT_FORM } from "../template/index.js";
import { changesOf } from "./changes.js";
import { editRemarks } from "./edit-remarks.js";
import { absorbEdits } from "./edits.js";
import { ownState, reasonOf, stateOf } from "./seen.js";
import { isRuled, workOf, type FillSetup } from "./setup.js";
import { KEYS_SHOWN, Told, type ToldNote } from "./told.js";
import { considerAll } from "./walk.js";

/** One cell without a value, or with one that is out of date, and why. */
export interface OpenCell {
  readonly key: string;
  readonly place: string;
  readonly column: string;
  readonly state: CellState;
  readonly reason: Remark;
}

/** How the cells of a plan stand. */
export interface Survey {
  readonly rows: number;
  /** Column -> how many of its cells stand in each state. */
  readonly columns: Readonly<Record<string, Readonly<Partial<Record<CellState, number>>>>>;
  /** Why cells are not filled: rows by step and reason, most first, each with a few keys. */
  readonly reasons: readonly {
    readonly step: string;
    readonly state: CellState;
    readonly reason: Remark;
    readonly rows: number;
    readonly keys: readonly string[];
  }[];
  /**
   * What to know of values that stand: settled by a rule, asked of a shortened input, changed by a second look. Figures are left out where
   * rows differ in them.
   */
  readonly notes: readonly ToldNote[];
}

/**
 * Tells how every cell of a plan stands, and of every cell without an up-to-date value, why. Asks nothing.
 *
 * @example
 * ```ts
 * import { sentenceOf, survey } from "yoroshi";
 *
 * // `setup` as in the example of `fill`.
 * const { columns, reasons } = await survey(setup);
 * columns["tone"]; // => { blank: 1, skipped: 1 }
 * for (const { rows, reason } of reasons) console.log(rows, sentenceOf(reason));
 * ```
 */
export async function survey(
  setup: FillSetup,
  onOpenCell?: (cell: OpenCell) => void,
  onRows?: (steps: Awaited<ReturnType<ReturnType<typeof considerAll>["next"]>>["value"]) => Promise<void> | void,
): Promise<Survey> {
  const work = workOf(setup, { refill: "stale" });
  await patternsReady();
  await absorbEdits(work, "status");
  const columns: Record<string, Partial<Record<CellState, number>>> = Object.fromEntries(
    work.steps.flatMap(({ targets }) => targets.map(({ name }) => [name, {}])),
  );
  const reasons = new Map<string, Group<{ step: string; state: CellState; reason: Remark }>>();
  const notes = new Told();
  let rows = 0;
  for await (const steps of considerAll(work)) {
    await onRows?.(steps);
    rows += steps[0]?.rows.length ?? 0;
    for (const { one, rows: considered } of steps) {
      const changes = await changesOf(work, one, considered);
      for (const [index, { passed, record, decision }] of considered.entries()) {
        const state = stateOf(decision);
        const reason = state === "filled" || state === "edited" ? undefined : reasonOf(decision, record?.reason, state, changes[index]);
        const { key, place } = passed.row;
        notes.addAll(record?.notes ?? [], key, one.name);
        if (
          one.does.kind === "ask" &&
          state === "filled" &&
          record?.fingerprint !== undefined &&
          record.form !== PROMPT_FORM &&
          !isRuled(one, record)
        )
          notes.add(remark("earlierForm"), key, one.name);
        for (const { column, remark: edited } of editRemarks(one, passed, record)) {
          const told = remark("about", { name: column, remark: edited });
          addTo(reasons, `${one.name} edited ${sentenceOf(told)}`, key, { step: one.name, state: "edited" as const, reason: told });
          if (edited.code === "editedThenChanged") onOpenCell?.({ key, place, column, state: "edited", reason: edited });
        }
        for (const { name } of one.targets) {
          const own = ownState(record, name, state);
          columns[name]![own] = (columns[name]![own] ?? 0) + 1;
          if (reason !== undefined && own !== "edited" && own !== "filled") onOpenCell?.({ key, place, column: name, state: own, reason });
        }
        if (reason !== undefined) addTo(reasons, `${one.name} ${state} ${sentenceOf(reason)}`, key, { step: one.name, state, reason });
      }
    }
  }
  const most = <T extends { rows: number }>(groups: T[]): T[] => groups.sort((a, b) => b.rows - a.rows);
  return { rows, columns, reasons: most([...reasons.values()]), notes: notes.all };
}

/** Rows that have something in common, with the keys of the first few. */
type Group<About> = About & { rows: number; keys: string[] };

function addTo<About extends object>(groups: Map<string, Group<About>>, name: string, key: string, about: About): void {
  const group = groups.get(name) ?? { ...about, rows: 0, keys: [] };
  group.rows++;
  if (group.keys.length < KEYS_SHOWN) group.keys.push(key);
  groups.set(name, group);
}

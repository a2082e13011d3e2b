import type { CellState } from "yoroshi";
import { gravest } from "../../parts/mark.js";
import { listed } from "../../parts/words.js";
import type { Row } from "./layout.js";

/** What stands in the margin beside a row: the gravest that is to be told of it. */
export interface RowNote {
  readonly state: CellState;
  readonly text: string;
}

/** The note of a row; `undefined` where its cells are simply filled, or not yet asked about. */
export function noteOf(row: Row | undefined): RowNote | undefined {
  if (!row) return undefined;
  if (row.problem !== undefined) return { state: "failed", text: row.problem };
  const state = gravest(Object.values(row.states).map((one) => one.state));
  if (!state) return undefined;
  const own = Object.entries(row.states).filter(([, one]) => one.state === state);
  const names = listed(own.map(([column]) => column));
  const [, first] = own[0]!;
  if (state === "edited") {
    const by = first.by?.person ? ` by ${first.by.person}` : " by hand";
    return { state, text: `${names} changed${by}${first.by?.reason ? `: “${first.by.reason}”` : ""}` };
  }
  const reason = first.reason ?? state;
  const why = reason.replace(/^held for a decision: /, "");
  // What is the same for several columns needs none of their names: the signs in the row tell which.
  return { state, text: own.length > 1 || state === "skipped" || state === "failed" ? why : `${names}: ${why}` };
}

/** How a row's note stands to those before and after it, so that three of the same in a run become one with a bracket. */
export function runOf(at: number, noteAt: (place: number) => RowNote | undefined): "alone" | "first" | "middle" | "last" {
  const own = noteAt(at);
  const same = (place: number): boolean => {
    const other = noteAt(place);
    return own !== undefined && other !== undefined && other.state === own.state && other.text === own.text;
  };
  const [before, after] = [same(at - 1), same(at + 1)];
  if (before && after) return "middle";
  if (after) return same(at + 2) ? "first" : "alone";
  if (before) return same(at - 2) ? "last" : "alone";
  return "alone";
}

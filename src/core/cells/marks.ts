import type { CellState } from "../ledger/index.js";

/** How a state is marked wherever cells are shown: a sign beside the value, a line under it. Colour only repeats it. */
export interface StateMark {
  /** One character; a space where the value speaks for itself. */
  readonly sign: string;
  /** The same where only ASCII can be shown. */
  readonly plainSign: string;
  readonly line: "none" | "wavy" | "double" | "dashed" | "thin";
}

/** The mark of each state, the gravest first: what a person has to know of a row is what stands first here. */
export const STATE_MARKS: Readonly<Record<CellState, StateMark>> = {
  failed: { sign: "×", plainSign: "x", line: "none" },
  held: { sign: "?", plainSign: "?", line: "dashed" },
  stale: { sign: "~", plainSign: "~", line: "wavy" },
  edited: { sign: "^", plainSign: "^", line: "double" },
  skipped: { sign: "–", plainSign: "-", line: "none" },
  blank: { sign: "_", plainSign: "_", line: "thin" },
  filled: { sign: " ", plainSign: " ", line: "none" },
};

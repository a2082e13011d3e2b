import { STATE_MARKS, type CellState } from "yoroshi";
import "./mark.css";

/** The sign of a state, said aloud; nothing where a cell is simply filled. */
export function Mark({ state }: { readonly state: CellState }) {
  const { sign } = STATE_MARKS[state];
  if (state === "filled" || state === "blank") return <span className="m" aria-hidden="true" />;
  return (
    <span className="m" role="img" aria-label={state}>
      {sign}
    </span>
  );
}

/** States, the gravest first. */
export const STATES = Object.keys(STATE_MARKS) as CellState[];

/** The gravest of some states of which a person is told; `undefined` where all is simply filled, or not yet asked about. */
export const gravest = (states: Iterable<CellState>): CellState | undefined => {
  const all = new Set(states);
  return STATES.find((state) => all.has(state) && state !== "filled" && state !== "blank");
};

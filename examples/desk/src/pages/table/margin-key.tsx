import { STATE_MARKS, type CellState } from "yoroshi";
import { useReading } from "../../app/server.js";
import { queryOf, type TableSearch } from "./search.js";

const SHOWN: readonly CellState[] = ["filled", "stale", "edited", "held", "failed", "skipped", "blank"];

interface Props {
  readonly plan: string;
  readonly search: TableSearch;
  readonly isWhole?: boolean;
  readonly onChange: (next: { states?: readonly CellState[] | undefined; row?: undefined }) => void;
}

/** Every sign, its word, and in how many rows it stands; a click shows only those rows. */
export function MarginKey({ plan, search, isWhole = true, onChange }: Props) {
  const { states: _, ...rest } = queryOf(search);
  const { data } = useReading("readStanding", { plan, ...rest }, { enabled: isWhole, keep: true });
  const now = search.states ?? [];
  return (
    <div className="key" role="group" aria-label="Marks: only rows with a cell that stands so">
      {SHOWN.map((state) => (
        <button
          key={state}
          type="button"
          className={state}
          aria-pressed={now.includes(state)}
          onClick={() => onChange({ states: now.includes(state) ? undefined : [state], row: undefined })}
        >
          <span className="m" aria-hidden="true">
            {STATE_MARKS[state].sign}
          </span>
          <span className={state === "filled" ? "ink" : "v"}>{state}</span>
          <span className="n">{(data?.rowsWith[state] ?? 0).toLocaleString("en")}</span>
        </button>
      ))}
      <button type="button" aria-pressed={now.length === 0} onClick={() => onChange({ states: undefined })}>
        <span className="m" aria-hidden="true" />
        all <span className="n">{data?.found.toLocaleString("en")}</span>
      </button>
    </div>
  );
}

import { memo, useLayoutEffect, useRef } from "react";
import { Mark } from "../../parts/mark.js";
import type { Laid, Layout, Row } from "./layout.js";
import type { RowNote } from "./notes.js";
import { OpenNote } from "./open-note.js";

interface Props {
  readonly plan: string;
  readonly place: number;
  readonly top: number;
  readonly row: Row | undefined;
  readonly layout: Layout;
  readonly margin: number;
  /** The column in hand; -1 where another row is. */
  readonly col: number;
  readonly isChosen: boolean;
  readonly note: RowNote | undefined;
  readonly run: "alone" | "first" | "middle" | "last";
  readonly onHand: (place: number, col?: number) => void;
  readonly onTick: (keys: readonly string[], on: boolean) => void;
  readonly onHeight: (place: number, height: number) => void;
}

/** A row and its note in the margin, on one line. */
export const GridRow = memo(
  function GridRow({ plan, place, top, row, layout, margin, col, isChosen, note, run, onHand, onTick, onHeight }: Props) {
    const isOpen = col >= 0;
    const line = useRef<HTMLDivElement>(null);
    useLayoutEffect(() => {
      const element = line.current;
      if (!isOpen || !element) return undefined;
      const observer = new ResizeObserver(() => onHeight(place, element.offsetHeight));
      observer.observe(element);
      return () => observer.disconnect();
    }, [isOpen, place, onHeight]);
    return (
      <div
        ref={line}
        role="row"
        aria-rowindex={place + 2}
        aria-selected={isChosen}
        className={`deck-row${isOpen ? " here" : ""}${isChosen ? " chosen" : ""}`}
        style={{ transform: `translateY(${top}px)`, width: layout.width + margin }}
      >
        <div role="gridcell" className="tick">
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label={`Choose ${row?.key ?? `row ${place + 1}`}`}
            checked={isChosen}
            disabled={!row}
            onChange={({ target }) => row && onTick([row.key], target.checked)}
          />
        </div>
        {layout.laid.map((one, index) => (
          <Cell
            key={one.column.name}
            id={`c-${place}-${index}`}
            laid={one}
            row={row}
            isHere={index === col}
            onHand={() => onHand(place, index)}
          />
        ))}
        <div role="gridcell" className={`note ${note ? run : ""}`} style={{ width: margin }} onClick={() => !isOpen && onHand(place)}>
          {note ? <Mark state={note.state} /> : <span className="m" />}
          {isOpen && row ? (
            <OpenNote
              plan={plan}
              row={row}
              column={layout.laid[col]?.column}
              fallback={layout.laid.find(({ column }) => column.filled)?.column}
            />
          ) : note && run !== "middle" && run !== "last" ? (
            <p title={note.text}>{note.text}</p>
          ) : null}
        </div>
      </div>
    );
  },
  (a, b) =>
    a.place === b.place &&
    a.top === b.top &&
    a.row === b.row &&
    a.layout === b.layout &&
    a.margin === b.margin &&
    a.col === b.col &&
    a.isChosen === b.isChosen &&
    a.run === b.run &&
    a.note?.text === b.note?.text &&
    a.note?.state === b.note?.state &&
    a.onHand === b.onHand &&
    a.plan === b.plan,
);

interface CellProps {
  readonly id: string;
  readonly laid: Laid;
  readonly row: Row | undefined;
  readonly isHere: boolean;
  readonly onHand: () => void;
}

function Cell({ id, laid: { column, at, width, left, isFigure }, row, isHere, onHand }: CellProps) {
  const stands = row?.states[column.name];
  const state = stands?.state ?? "filled";
  const value = stands?.held ?? row?.values[at] ?? "";
  const names = [
    "cell",
    isFigure ? "fig" : "",
    isHere ? "in-hand" : "",
    left === undefined ? "" : "pinned",
    column.filled && row ? state : "",
  ];
  return (
    <div
      id={id}
      role="gridcell"
      className={names.filter(Boolean).join(" ")}
      style={left === undefined ? { width } : { width, left }}
      onClick={onHand}
    >
      {column.filled && row ? (
        <>
          <Mark state={state} />
          {value === "" ? <Empty state={state} reason={stands?.reason} /> : <span className="v">{value}</span>}
        </>
      ) : (
        value
      )}
    </div>
  );
}

/** What stands in a cell without a value: why a failed one is empty, a word for one that was left out, else a line to write on. */
function Empty({ state, reason }: { readonly state: string; readonly reason: string | undefined }) {
  if (state === "failed") return <span className="v">{reason ?? "failed"}</span>;
  if (state === "skipped") return <span className="v">skipped</span>;
  return (
    <>
      <span className="line" aria-hidden="true" />
      <span className="vh">{state === "filled" ? "empty" : state}</span>
    </>
  );
}

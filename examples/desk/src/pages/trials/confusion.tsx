import { useRef, type KeyboardEvent } from "react";
import type { CallReport } from "yoroshi/client";

type Part = CallReport<"readTrial">["trial"]["parts"][number];

/** Right value and answer that are looked at. */
export interface Cell {
  readonly truth: string;
  readonly answer: string;
}

interface Props {
  readonly part: Part;
  readonly cell: Cell | undefined;
  readonly onCell: (cell: Cell | undefined) => void;
}

/** What was right (down) against what was answered (across). A cell shows its rows below; arrows move, Enter chooses. */
export function Confusion({ part, cell, onCell }: Props) {
  const table = useRef<HTMLTableElement>(null);
  const { confusion } = part;
  if (!confusion || confusion.labels.length < 2) return null;
  const { labels, counts } = confusion;
  const move = (event: KeyboardEvent, row: number, column: number): void => {
    const by = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (!by) return;
    event.preventDefault();
    table.current?.querySelector<HTMLElement>(`[data-at="${row + by[0]!}-${column + by[1]!}"]`)?.focus();
  };
  return (
    <section className="scrolls" aria-label={`${part.part}: what was right against what was answered`}>
      <table className="confusion" ref={table}>
        <caption>{part.part}: what was right, down; what was answered, across</caption>
        <thead>
          <tr>
            <th />
            {labels.map((label) => (
              <th key={label} scope="col">
                <span>{label}</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {labels.map((truth, row) => (
            <tr key={truth}>
              <th scope="row">{truth}</th>
              {labels.map((answer, column) => {
                const rows = counts[row]?.[column] ?? 0;
                const isChosen = cell?.truth === truth && cell.answer === answer;
                return (
                  <td key={answer} className={row === column ? "right" : undefined}>
                    <button
                      type="button"
                      data-at={`${row}-${column}`}
                      tabIndex={isChosen || (cell === undefined && row === 0 && column === 0) ? 0 : -1}
                      aria-pressed={isChosen}
                      aria-label={`${rows} rows: right ${truth}, answered ${answer}`}
                      className={rows === 0 ? "none" : undefined}
                      onKeyDown={(event) => move(event, row, column)}
                      onClick={() => onCell(isChosen || rows === 0 ? undefined : { truth, answer })}
                    >
                      {rows === 0 ? "·" : rows}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

import { defaultRangeExtractor, useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { ColumnPanel } from "./column-panel.js";
import { GridHead } from "./grid-head.js";
import { GridRow } from "./grid-row.js";
import { layOut, ROW } from "./layout.js";
import { noteOf, runOf } from "./notes.js";
import type { TableSearch } from "./search.js";
import { useHand } from "./use-hand.js";
import { useRoom } from "./use-room.js";
import { useRows } from "./use-rows.js";

const HEAD = 88;

interface Props {
  readonly plan: string;
  readonly first: CallReport<"readRows">;
  /** What is shown is of another order, and the right one is on its way. */
  readonly isOld: boolean;
  readonly search: TableSearch;
  readonly chosen: ReadonlySet<string>;
  readonly onTick: (keys: readonly string[], on: boolean) => void;
  readonly onChange: (next: Partial<{ [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) => void;
}

/** The rows with their margin: one grid, of which only what is in sight is drawn. The row in hand lies open. */
export function Grid({ plan, first, isOld, search, chosen, onTick, onChange }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const { room, margin } = useRoom(scroller);
  const [panel, setPanel] = useState<string | undefined>();
  const layout = useMemo(() => layOut(first.columns, first.page, room, search), [first.columns, first.page, room, search]);
  const { laid } = layout;
  const open = useRef(-1);
  const virtualizer = useVirtualizer({
    count: first.found,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
    scrollMargin: HEAD,
    scrollPaddingStart: HEAD,
    useFlushSync: false,
    rangeExtractor: (range) =>
      // The row in hand is always drawn, so that the focus is never lost.
      open.current >= 0 && open.current < first.found
        ? [...new Set([...defaultRangeExtractor(range), open.current])].sort((a, b) => a - b)
        : defaultRangeExtractor(range),
  });
  const items = virtualizer.getVirtualItems();
  const inSight = items.filter(({ index }) => index !== open.current || items.length === 1);
  const rows = useRows(plan, search, inSight[0]?.index ?? 0, inSight.at(-1)?.index ?? 0);
  const hand = useHand({ plan, search, found: first.found, columns: laid.map(({ column }) => column.name), rows, virtualizer, onChange });
  open.current = hand.place;

  useEffect(() => {
    // A row that was in hand is as high as all others again.
    const place = hand.place;
    return () => virtualizer.resizeItem(place, ROW);
  }, [hand.place, virtualizer]);
  const measure = useCallback(
    (place: number, height: number) => virtualizer.resizeItem(place, Math.max(ROW, Math.ceil(height))),
    [virtualizer],
  );

  const noteAt = (place: number) => noteOf(rows.get(place));
  const closePanel = useCallback(() => {
    setPanel(undefined);
    document.getElementById("table-grid")?.focus();
  }, []);
  return (
    <div className="deck-frame">
      <div
        id="table-grid"
        ref={scroller}
        className={isOld ? "deck old" : "deck"}
        role="grid"
        tabIndex={0}
        aria-label={`${plan}: rows with their filled columns`}
        aria-rowcount={first.found + 1}
        aria-colcount={laid.length + 2}
        aria-multiselectable="true"
        aria-busy={isOld}
        aria-activedescendant={hand.activeId}
        onKeyDown={(event) => {
          if (event.target !== event.currentTarget) return;
          const { place, name } = hand;
          if (event.key === "Enter" && place < 0 && name) {
            event.preventDefault();
            setPanel(name);
          } else if (event.key === " ") {
            event.preventDefault();
            const row = rows.get(place);
            if (row) onTick([row.key], !chosen.has(row.key));
          } else hand.onKey(event);
        }}
      >
        <GridHead
          plan={plan}
          first={first}
          layout={layout}
          margin={margin}
          search={search}
          hand={hand}
          row={rows.get(hand.place)}
          chosen={chosen}
          onPanel={setPanel}
          onTick={onTick}
          onChange={onChange}
        />
        <div role="rowgroup" className="deck-rows" style={{ height: virtualizer.getTotalSize(), width: layout.width + margin }}>
          {items.map(({ index, start }) => {
            const row = rows.get(index);
            return (
              <GridRow
                key={index}
                place={index}
                top={start - HEAD}
                row={row}
                layout={layout}
                margin={margin}
                plan={plan}
                col={index === hand.place ? hand.col : -1}
                isChosen={row !== undefined && chosen.has(row.key)}
                note={noteAt(index)}
                run={runOf(index, noteAt)}
                onHand={hand.take}
                onTick={onTick}
                onHeight={measure}
              />
            );
          })}
        </div>
        {first.found === 0 && first.reading === undefined ? (
          <p className="quiet none-found">No row is like that. Take something of what is looked for away.</p>
        ) : null}
      </div>
      {panel === undefined ? null : (
        <ColumnPanel
          key={panel}
          plan={plan}
          column={first.columns.find(({ name }) => name === panel)!}
          columns={first.columns}
          search={search}
          onChange={onChange}
          onClose={closePanel}
        />
      )}
    </div>
  );
}

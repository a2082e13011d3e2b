import type { Virtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "@tanstack/react-router";
import { failed } from "../../app/acts.js";
import { useKeys } from "../../app/keys.js";
import { server } from "../../app/server.js";
import type { Row } from "./layout.js";
import { queryOf, type TableSearch } from "./search.js";

const ADDRESS_MS = 300;

/** The cell in hand: its place among the rows (-1 is the head), its column; and how keys move it. */
export interface Hand {
  readonly place: number;
  readonly col: number;
  readonly name: string | undefined;
  readonly activeId: string | undefined;
  readonly take: (place: number, col?: number) => void;
  readonly onKey: (event: KeyboardEvent) => void;
}

interface Options {
  readonly plan: string;
  readonly search: TableSearch;
  readonly found: number;
  readonly columns: readonly string[];
  readonly rows: ReadonlyMap<number, Row>;
  readonly virtualizer: Virtualizer<HTMLDivElement, Element>;
  readonly onChange: (next: { row?: string | undefined; col?: string | undefined }) => void;
}

/** Keeps the cell in hand, by the row's key: it stays in hand when the order changes, and stands in the address. */
export function useHand({ plan, search, found, columns, rows, virtualizer, onChange }: Options): Hand {
  const navigate = useNavigate();
  const [at, setAt] = useState({ place: -2, col: Math.max(0, columns.indexOf(search.col ?? "")) });
  const query = JSON.stringify([queryOf(search), search.sort]);
  const wanted = useRef(search.row);

  // Where the row of the address stands, at first and whenever the order changes.
  useEffect(() => {
    const key = wanted.current;
    if (key === undefined) return;
    const asked = new AbortController();
    server
      .findRow({ plan, ...queryOf(search), ...(search.sort ? { sort: [...search.sort] } : {}), key }, { signal: asked.signal })
      .then(({ place }) => {
        setAt((before) => ({ ...before, place: place ?? -2 }));
        if (place !== null) virtualizer.scrollToIndex(place, { align: "center" });
      })
      // That the server does not answer is told in the foot, as long as it is so.
      .catch((error: unknown) => asked.signal.aborted || error instanceof TypeError || failed(error));
    return () => asked.abort();
    // Only a new order moves the row; that it is taken in hand does not.
  }, [plan, query, found, virtualizer]);

  const key = rows.get(at.place)?.key;
  const name = columns[at.col];
  useEffect(() => {
    if (key === undefined) return undefined;
    wanted.current = key;
    if (key === search.row && name === search.col) return undefined;
    const timer = setTimeout(() => onChange({ row: key, col: name }), ADDRESS_MS);
    return () => clearTimeout(timer);
  }, [key, name, search.row, search.col, onChange]);

  const take = useCallback(
    (place: number, col?: number) => {
      // Whoever goes up into the head has no row in hand that would have to be followed.
      if (place < 0) wanted.current = undefined;
      setAt((before) => ({
        place: Math.min(Math.max(-1, place), found - 1),
        col: Math.min(Math.max(0, col ?? before.col), columns.length - 1),
      }));
      if (place >= 0) virtualizer.scrollToIndex(Math.min(place, found - 1), { align: "auto" });
    },
    [found, columns.length, virtualizer],
  );

  const nextNoted = (back: boolean): void => {
    server
      .findRow({
        plan,
        ...queryOf(search),
        ...(search.sort ? { sort: [...search.sort] } : {}),
        after: back && at.place < 0 ? found : Math.max(-1, at.place),
        back,
      })
      .then(({ place }) => place !== null && take(place))
      .catch(failed);
  };
  const review = (): void => {
    const row = rows.get(at.place);
    if (!row) return;
    const isHeld = Object.values(row.states).some(({ state }) => state === "held");
    if (isHeld) void navigate({ to: "/review/$plan", params: { plan }, search: { key: row.key } });
  };
  useKeys({
    j: () => nextNoted(false),
    k: () => nextNoted(true),
    m: () => document.querySelector<HTMLElement>(".open-note button, .open-note a")?.focus(),
    c: () => document.querySelector<HTMLElement>(".open-note [data-key=C]")?.click(),
    q: () => document.querySelector<HTMLElement>(".open-note [data-key=Q]")?.click(),
  });

  const page = Math.max(1, Math.floor((virtualizer.scrollElement?.clientHeight ?? 400) / 29) - 4);
  const moves: Readonly<Record<string, () => void>> = {
    ArrowDown: () => take(at.place < -1 ? 0 : at.place + 1),
    ArrowUp: () => take(at.place - 1),
    ArrowLeft: () => take(at.place, at.col - 1),
    ArrowRight: () => take(at.place, at.col + 1),
    PageDown: () => take(at.place + page),
    PageUp: () => take(Math.max(0, at.place - page)),
    Home: () => take(at.place, 0),
    End: () => take(at.place, columns.length - 1),
    Enter: review,
  };
  const onKey = (event: KeyboardEvent): void => {
    const isWhole = event.ctrlKey || event.metaKey;
    const move =
      isWhole && event.key === "Home"
        ? () => take(0, 0)
        : isWhole && event.key === "End"
          ? () => take(found - 1)
          : isWhole
            ? undefined
            : moves[event.key];
    if (!move) return;
    event.preventDefault();
    move();
  };
  const activeId = at.place >= 0 ? `c-${at.place}-${at.col}` : at.place === -1 ? `h-${at.col}` : undefined;
  return { place: at.place, col: at.col, name, activeId, take, onKey };
}

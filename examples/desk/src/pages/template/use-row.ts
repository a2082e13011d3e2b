import { useState } from "react";
import { useReading } from "../../app/server.js";

/** What is put into the prompt: a row of a plan's table, a sample, or what one types. */
export type From = "row" | "sample" | "typed";

export interface ChosenRow {
  readonly from: From;
  readonly setFrom: (from: From) => void;
  readonly place: number;
  readonly count: number;
  readonly move: (by: number) => void;
  /** What the row is called. */
  readonly told: string;
  /** Input -> what stands in it; `undefined` while it is read. */
  readonly inputs: Readonly<Record<string, string>> | undefined;
  readonly setTyped: (input: string, value: string) => void;
  readonly error: unknown;
}

/** The row in hand of a template's page. */
export function useRow(
  template: string,
  plan: string | undefined,
  step: string | undefined,
  names: readonly string[],
  wantedKey: string | undefined,
): ChosenRow {
  const [from, setFrom] = useState<From>(plan ? "row" : "typed");
  const [place, setPlace] = useState(0);
  const [hasMoved, setMoved] = useState(false);
  const [typed, setTyped] = useState<Readonly<Record<string, string>>>({});
  const isRow = from === "row" && plan !== undefined;
  const { data: page } = useReading("readRows", { plan: plan ?? "", from: place, limit: 1 }, { enabled: isRow, keep: true });
  const key = wantedKey !== undefined && !hasMoved ? wantedKey : page?.page[0]?.key;
  const { data: row, error: rowError } = useReading(
    "showPrompt",
    { of: plan ?? "", row: key ?? "", ...(step ? { step } : {}) },
    { enabled: isRow && key !== undefined, keep: true },
  );
  const { data: labels, error: labelsError } = useReading(
    "readLabels",
    { file: `samples/${template}.csv`, template },
    { enabled: from === "sample" },
  );
  const sample = labels?.rows[place % Math.max(1, labels.rows.length)];
  const inputs = isRow
    ? row?.inputs
    : from === "sample"
      ? sample?.inputs
      : Object.fromEntries(names.map((name) => [name, typed[name] ?? ""]));
  const count = isRow ? (page?.rows ?? 0) : (labels?.rows.length ?? 0);
  return {
    from,
    setFrom: (next) => {
      setFrom(next);
      setPlace(0);
    },
    place,
    count,
    move: (by) => {
      setMoved(true);
      setPlace(Math.min(Math.max(0, place + by), Math.max(0, count - 1)));
    },
    told: isRow ? (key ?? "a row") : from === "sample" ? `sample ${place + 1}` : "what you type",
    inputs,
    setTyped: (input, value) => setTyped((before) => ({ ...before, [input]: value })),
    error: isRow ? rowError : from === "sample" ? labelsError : undefined,
  };
}

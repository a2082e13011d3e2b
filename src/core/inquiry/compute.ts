import { patternsReady } from "../ground/index.js";
import { BadRow, holds, readyFigure } from "../derive/index.js";
import { readCondition } from "../plan/index.js";
import { shownCell, type CellValue } from "../table/index.js";
import type { InquiryColumn, InquiryRow } from "./columns.js";
import { figureSource, inquiryCel, type Inquiry } from "./inquiry.js";

/** What an inquiry came to. */
export interface Counted {
  /** The figure, of one that asks for one; blank where there is nothing to tell. */
  readonly value?: CellValue | undefined;
  /** The figure of each group, in the order that is wanted. */
  readonly groups?: readonly { readonly value: string; readonly figure: CellValue; readonly rows: number }[] | undefined;
  /** Rows in all, and those behind the answer. */
  readonly rows: number;
  readonly matched: number;
  /** Rows that could not count, and why the first could not. */
  readonly unclear: number;
  readonly problem?: string | undefined;
  /** The keys of the first rows behind the answer. */
  readonly keys: readonly string[];
  /** Conditions as CEL. */
  readonly where?: string | undefined;
}

export interface KeyedRow {
  readonly key: string;
  readonly row: InquiryRow;
}

/**
 * Computes an inquiry over the rows of a table, in one pass; nothing but its groups and the first keys stays in memory.
 *
 * @param options.keys how many keys are given. Default 1,000.
 * @param options.onRow told of each row behind the answer.
 */
export async function computeInquiry(
  inquiry: Inquiry,
  columns: readonly InquiryColumn[],
  rows: AsyncIterable<readonly KeyedRow[]>,
  { keys: mostKeys = 1_000, onRow }: { readonly keys?: number | undefined; readonly onRow?: ((row: KeyedRow) => void) | undefined } = {},
): Promise<Counted> {
  const where = inquiryCel(inquiry, columns);
  const condition = where === undefined ? undefined : readCondition(where).condition;
  // A pattern in it is matched by what is loaded when one is met.
  await patternsReady();
  const isShare = inquiry.figure === "share";
  const figure = readyFigure("figure", figureSource(inquiry, where));
  const whole = figure.start();
  const groups = new Map<string, { readonly counter: ReturnType<typeof figure.start>; rows: number }>();
  const keys: string[] = [];
  let [all, matched, unclear] = [0, 0, 0];
  let problem: string | undefined;
  const attempt = (work: () => void): void => {
    try {
      work();
    } catch (error) {
      if (!(error instanceof BadRow)) throw error;
      unclear++;
      problem ??= error.message;
    }
  };
  for await (const some of rows)
    for (const keyed of some) {
      all++;
      attempt(() => {
        const isIn = holds(condition, keyed.row);
        // A share is of all rows.
        if (isShare) whole.add(keyed.row);
        if (!isIn) return;
        matched++;
        if (keys.length < mostKeys) keys.push(keyed.key);
        onRow?.(keyed);
        if (inquiry.by !== undefined) {
          const value = shownCell(keyed.row[inquiry.by]).trim() || "(blank)";
          const group = groups.get(value) ?? { counter: figure.start(), rows: 0 };
          groups.set(value, group);
          group.rows++;
          group.counter.add(keyed.row);
        } else if (!isShare) whole.add(keyed.row);
      });
    }
  const common = {
    rows: all,
    matched,
    unclear,
    ...(problem === undefined ? {} : { problem }),
    keys,
    ...(where === undefined ? {} : { where }),
  };
  if (inquiry.what === "each")
    return {
      ...common,
      groups: inOrder(
        inquiry,
        [...groups].map(([value, { counter, rows: own }]) => ({ value, figure: counter.value(whole), rows: own })),
      ),
    };
  return inquiry.what === "figure" ? { ...common, value: whole.value(whole) } : common;
}

function inOrder<Group extends { readonly value: string; readonly figure: CellValue }>(
  { order, limit }: Inquiry,
  groups: readonly Group[],
): Group[] {
  const size = ({ figure }: Group): number => (figure === "" ? Number.NEGATIVE_INFINITY : Number(figure));
  const sign = order === "least" ? -1 : 1;
  return [...groups].sort((a, b) => sign * (size(b) - size(a)) || (a.value < b.value ? -1 : 1)).slice(0, limit ?? groups.length);
}

import type { FillSetup } from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import { mapValues } from "../ground/index.js";
import type { CheckRecord, DecisionRecord } from "../ledger/index.js";
import { keepRelease, readReleases, releaseFigures, wrongFigures, type ReleaseFigures, type WrongFigures } from "../review/index.js";
import { checkDecisions, rowsToCheck } from "./check.js";

/** How wrong one column is. */
export interface ColumnError extends WrongFigures {
  readonly column: string;
  /** The same for the cells that have one value, and for the rows of a slice. */
  readonly byValue: Readonly<Record<string, WrongFigures>>;
  readonly bySlice: Readonly<Record<string, Readonly<Record<string, WrongFigures>>>>;
  /** Where the plan keeps the column out of the table until it is shown to be good enough. */
  readonly release?: ReleaseFigures | undefined;
  readonly isReleased: boolean;
}

/** What a random check shows. */
export interface CheckFigures {
  readonly check: CheckRecord;
  readonly columns: readonly ColumnError[];
  /** Drawn rows that are still to be judged, those that the plan's `release` needs counted in. */
  readonly left: number;
  /** Drawn rows whose answers have changed since: they cannot be judged any more. */
  readonly movedOn: number;
}

/** What a random check shows of each column: how many cells are wrong, with exact bounds; by value and by slice. */
export async function checkFigures(setup: FillSetup, check: CheckRecord): Promise<CheckFigures> {
  const decided = await checkDecisions(setup, check);
  const releases = await readReleases(setup.ledger, setup.plan.name);
  const { release, spotCheck } = setup.plan.review ?? {};
  const columns = check.columns.map((column): ColumnError => {
    const judged = check.rows.flatMap((row) => {
      const decision = decided.get(JSON.stringify([row.key, column]));
      return decision ? [{ row, isWrong: isWrong(decision), value: String(row.values[column]) }] : [];
    });
    const of = (population: number, some: readonly { readonly isWrong: boolean }[]): WrongFigures =>
      wrongFigures(population, some.length, some.filter((one) => one.isWrong).length);
    const figures = of(check.population, judged);
    return {
      column,
      ...figures,
      byValue: mapValues(check.values[column] ?? {}, (rows, value) =>
        of(
          rows,
          judged.filter((one) => one.value === value),
        ),
      ),
      bySlice: mapValues(check.slices, (counts, slice) =>
        mapValues(counts, (rows, value) =>
          of(
            rows,
            judged.filter(({ row }) => row.slices?.[slice] === value),
          ),
        ),
      ),
      ...(release && (release.columns === undefined || release.columns.includes(column))
        ? { release: releaseFigures(figures, release) }
        : {}),
      isReleased: releases.some((one) => one.check === check.id && one.columns.includes(column)),
    };
  });
  const wanted = Math.max(spotCheck?.rows ?? 0, ...columns.map(({ checked, release: needs }) => checked + (needs?.more ?? 0)));
  const { open, movedOn } = await rowsToCheck(setup, check, wanted);
  return { check, columns, left: open.length, movedOn };
}

/** What a person did not accept as it was. */
const isWrong = ({ how }: DecisionRecord): boolean => how !== "accept";

/** Releases the columns of which a check shows what the plan wants; gives them. The table takes them when it is next written. */
export async function releaseShown(setup: FillSetup, { check, columns }: CheckFigures, by: string): Promise<string[]> {
  const shown = columns.filter(({ release, isReleased }) => release?.isShown && !isReleased).map(({ column }) => column);
  if (shown.length === 0) return [];
  const before = columns.filter(({ isReleased }) => isReleased).map(({ column }) => column);
  const { step, version, model, at: drawn, id } = check;
  await keepRelease(setup.ledger, setup.plan.name, {
    step,
    columns: [...before, ...shown],
    version,
    model,
    drawn,
    check: id,
    by,
    at: setup.clock.now(),
  });
  await forgetSettled(setup);
  return shown;
}

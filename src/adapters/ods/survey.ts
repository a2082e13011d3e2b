import type { TargetColumn } from "../../core/index.js";
import { attribute, columnLetters, firstFree, type Tag } from "../../files/parts/index.js";
import { cellText, formulaOf, isArray } from "./cell-value.js";
import type { RowPiece } from "./content-pieces.js";
import { broken, cellAt, cellsOf, sheetContent, spanOf, type Layout } from "./layout.js";
import { shownAs, type StyleEditor } from "./styles.js";

const MOST_COLUMNS = 16_384;

/** A column that is filled, and where it stands. */
export interface Place {
  readonly target: TargetColumn;
  readonly column: number;
  readonly isNew: boolean;
}

/** What must be known of a sheet before it is written. */
export interface Survey {
  readonly places: readonly Place[];
  /** The column at the left of new ones, which they look like. */
  readonly neighbour: number;
  readonly isProtected: boolean;
  /** The last row that has data; new ones come below it. */
  readonly lastData: number;
  /** The styles of its cells by column, which new rows take over. */
  readonly lastStyles: ReadonlyMap<number, string | undefined>;
  /** The last row once new ones are there; of a named range, at least where it ends. */
  readonly bottom: number;
  /** The style by which a column's cells look that have none of their own. */
  readonly columnStyle: (column: number) => string | undefined;
}

/** The columns that a sheet says it has. */
export interface ColumnRun {
  readonly from: number;
  readonly to: number;
  readonly style: string | undefined;
  readonly isHidden: boolean;
}

export function columnRuns(tags: readonly Tag[]): ColumnRun[] {
  let from = 1;
  return tags
    .filter((tag) => tag.name === "table-column")
    .map((tag) => {
      const count = Number(attribute(tag, "number-columns-repeated") ?? 1);
      const run = {
        from,
        to: from + count - 1,
        style: attribute(tag, "default-cell-style-name"),
        isHidden: (attribute(tag, "visibility") ?? "visible") !== "visible",
      };
      from += count;
      return run;
    });
}

/** How a cell looks: by its own style, its row's, its column's. */
export const styleAt = (row: RowPiece, column: number, columnStyle: Survey["columnStyle"]): string | undefined => {
  const cell = cellAt(row, column);
  return (cell && attribute(cell.tag, "style-name")) ?? attribute(row.tag, "default-cell-style-name") ?? columnStyle(column);
};

/**
 * Goes through a sheet once before it is written: where new columns and rows have room, and which styles will be needed, so that those
 * can be made first.
 *
 * @param growing rows that will be added.
 */
export async function surveySheet(layout: Layout, targets: readonly TargetColumn[], styles: StyleEditor, growing: number): Promise<Survey> {
  const { file, sheet, range, columns, headerRow, lastRow } = layout;
  const existing = new Map(columns.map(({ name, column }) => [name, column]));
  const added = targets.filter((target) => !existing.has(target.name));
  const after = range ? range.area.right : Math.max(...columns.map(({ column }) => column));
  const ours = new Set(columns.map(({ column }) => column));
  const old = new Map(targets.flatMap((target) => (existing.has(target.name) ? [[existing.get(target.name)!, target] as const] : [])));
  const bases = new Map<TargetColumn, Set<string | undefined>>(targets.map((target) => [target, new Set()]));
  let runs: readonly ColumnRun[] = [];
  const columnStyle = (column: number): string | undefined => runs.find((run) => run.from <= column && run.to >= column)?.style;
  let widest = after;
  let taken: string | undefined;
  let isProtected = false;
  let lastData = headerRow;
  let last: RowPiece | undefined;
  /** The first row below a named range that leaves no room for further ones. */
  let blocked = Infinity;

  const lookAt = (row: RowPiece): void => {
    const [firstRow, lastOfThem] = spanOf(layout, row);
    const isInTable = firstRow <= lastOfThem;
    const found = [...cellsOf(row)];
    if (isInTable && found.some(({ cell, column }) => ours.has(column) && cellText(cell) !== "")) {
      lastData = lastOfThem;
      last = row;
    }
    const end = row.number + row.repeated - 1;
    if (range && end > lastRow && found.some(({ column }) => column >= range.area.left && column <= range.area.right))
      blocked = Math.min(blocked, Math.max(row.number, lastRow + 1));
    if (range && row.number > range.area.bottom) return;
    for (const { cell, column } of found) {
      widest = Math.max(widest, column);
      if (column > after && column <= after + added.length) taken ??= `${columnLetters(column)}${row.number}`;
      if (old.has(column) && isInTable && formulaOf(cell) !== undefined && isArray(cell))
        throw broken(
          file,
          sheet,
          `cell ${columnLetters(column)}${row.number}`,
          `a formula that several cells share stands in \`${old.get(column)!.name}\`, which the plan fills. Fill a column of its own, or replace the formulas by their values first.`,
        );
    }
    if (!isInTable) return;
    for (const [column, target] of old) bases.get(target)!.add(styleAt(row, column, columnStyle));
    for (const target of added) bases.get(target)!.add(styleAt(row, after, columnStyle));
  };

  sheet: for await (const pieces of sheetContent(layout)) {
    for (const piece of pieces) {
      if ("top" in piece) {
        runs = columnRuns(piece.tags);
        isProtected = attribute(piece.sheet, "protected") === "true";
      }
      if ("row" in piece && piece.row.number + piece.row.repeated > headerRow) lookAt(piece.row);
      if ("sheetEnd" in piece) break sheet;
    }
  }
  if (taken !== undefined && range)
    throw broken(
      file,
      sheet,
      `cell ${taken}`,
      `the range ${range.name} has no room at its right for ${added.map(({ name }) => `\`${name}\``).join(", ")}. Move what stands there.`,
    );
  const bottom = lastData + growing;
  if (range && growing > 0 && bottom >= blocked)
    throw broken(
      file,
      sheet,
      `row ${lastData + 1}`,
      `the range ${range.name} has no room for ${growing} new rows below it. Insert ${growing} empty rows there, or move the file away: then it is made anew from the source.`,
    );
  const hidden = range ? [] : runs.filter((run) => run.isHidden).map((run) => [run.from, run.to] as const);
  const first = firstFree(taken === undefined ? after + 1 : widest + 1, added.length, hidden, MOST_COLUMNS);
  if (first + added.length - 1 > MOST_COLUMNS) throw broken(file, sheet, `row ${headerRow}`, "the sheet has no room for further columns.");
  for (const [target, styled] of bases) for (const base of last ? styled : [undefined]) styles.like(base, shownAs(target.type));
  if (growing > 0) for (const { column } of columns) styles.like(last && styleAt(last, column, columnStyle), "date");
  const places = targets.map((target) => ({
    target,
    column: existing.get(target.name) ?? first + added.indexOf(target),
    isNew: !existing.has(target.name),
  }));
  const lastColumn = Math.max(after, ...places.map(({ column }) => column));
  return {
    places,
    neighbour: after,
    isProtected,
    lastData,
    lastStyles: new Map(
      Array.from({ length: lastColumn }, (_, index) => [index + 1, last ? styleAt(last, index + 1, columnStyle) : undefined]),
    ),
    bottom: Math.max(bottom, range?.area.bottom ?? 0),
    columnStyle,
  };
}

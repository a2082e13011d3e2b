import type { TargetColumn } from "../../core/index.js";
import { attribute, columnLetters, firstFree, type Tag } from "../../files/parts/index.js";
import { broken, type Layout } from "./layout.js";
import { sheetPieces } from "./sheet-pieces.js";
import type { StyleEditor } from "./styles.js";
import { formatOf } from "./written-value.js";

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
  /** The column at the left of new ones, which they look like; hidden columns between are passed over. */
  readonly neighbour: number;
  /** Some formula is replaced by a value. */
  readonly replacesFormulas: boolean;
  readonly isProtected: boolean;
  /** The last row that has data; new ones come below it. */
  readonly lastData: number;
  /** The styles of its cells by column, which new rows take over. */
  readonly lastStyles: ReadonlyMap<number, number>;
  /** The last row once new ones are there; of a defined table, at least where it ends. */
  readonly bottom: number;
  /** The style of a day where none of its column is known. */
  readonly dayStyle: number;
}

/**
 * Goes through a sheet once before it is written: where new columns and rows have room, which formulas they replace, and
 * which styles will be needed, so that those can be made first.
 *
 * @param growing rows that will be added.
 */
export async function surveySheet(layout: Layout, targets: readonly TargetColumn[], styles: StyleEditor, growing: number): Promise<Survey> {
  const { file, sheet, table, columns, headerRow, lastRow } = layout;
  const existing = new Map(columns.map(({ name, column }) => [name, column]));
  const added = targets.filter((target) => !existing.has(target.name));
  const after = table ? table.area.right : Math.max(...columns.map(({ column }) => column));
  const isOurs = new Set(columns.map(({ column }) => column));
  const old = new Map(targets.flatMap((target) => (existing.has(target.name) ? [[existing.get(target.name)!, target] as const] : [])));
  const bases = new Map<TargetColumn, Set<number>>(targets.map((target) => [target, new Set([0])]));
  let widest = after;
  let taken: string | undefined;
  let replacesFormulas = false;
  let isProtected = false;
  let hidden: readonly (readonly [number, number])[] = [];
  let lastData = headerRow;
  let lastStyles = new Map<number, number>();
  /** The first row below a defined table that leaves no room for further ones. */
  let blocked = Infinity;
  for await (const pieces of sheetPieces(file, sheet.part)) {
    for (const piece of pieces) {
      if ("head" in piece) hidden = hiddenColumns(piece.tags);
      if ("raw" in piece) isProtected ||= /<(\w+:)?sheetProtection[\s/>]/.test(piece.raw);
      if (!("row" in piece) || piece.row.number < headerRow) continue;
      const { row } = piece;
      const hasData = row.cells.some((cell) => isOurs.has(cell.column) && cell.value !== undefined && cell.value !== "");
      if (hasData && row.number > headerRow && row.number <= lastRow) {
        lastData = row.number;
        lastStyles = new Map(row.cells.map((cell) => [cell.column, cell.style]));
      }
      if (
        table &&
        row.number > lastRow &&
        row.cells.some((cell) => cell.value !== undefined && cell.column >= table.area.left && cell.column <= table.area.right)
      )
        blocked = Math.min(blocked, row.number);
      if (table && row.number > table.area.bottom) continue;
      for (const cell of row.cells) {
        const isBlank = cell.value === undefined && cell.formula === undefined;
        if (!isBlank) widest = Math.max(widest, cell.column);
        if (!isBlank && cell.column > after && cell.column <= after + added.length) taken ??= `${columnLetters(cell.column)}${row.number}`;
        const target = old.get(cell.column);
        if (target && row.number > headerRow && row.number <= lastRow) {
          bases.get(target)!.add(cell.style);
          if (cell.formula !== undefined && cell.formula !== "normal")
            throw broken(
              file,
              sheet,
              `cell ${columnLetters(cell.column)}${row.number}`,
              `a formula that several cells share stands in \`${target.name}\`, which the plan fills. Fill a column of its own, or replace the formulas by their values first.`,
            );
          replacesFormulas ||= cell.formula !== undefined;
        }
        if (cell.column === after) for (const one of added) bases.get(one)!.add(cell.style);
      }
    }
  }
  if (taken !== undefined && table)
    throw broken(
      file,
      sheet,
      `cell ${taken}`,
      `the table ${table.name} has no room at its right for ${added.map(({ name }) => `\`${name}\``).join(", ")}. Move what stands there.`,
    );
  const bottom = lastData + growing;
  if (table && growing > 0 && (bottom >= blocked || (table.totals > 0 && bottom > lastRow))) {
    throw broken(
      file,
      sheet,
      `row ${lastData + 1}`,
      `the table ${table.name} has no room for ${growing} new rows below it. Insert ${growing} empty rows there (above its row of totals), or move the file away: then it is made anew from the source.`,
    );
  }
  const first = firstFree(taken === undefined ? after + 1 : widest + 1, added.length, table ? [] : hidden, MOST_COLUMNS);
  if (first + added.length - 1 > MOST_COLUMNS) throw broken(file, sheet, `row ${headerRow}`, "the sheet has no room for further columns.");
  for (const [target, styled] of bases) for (const base of styled) styles.like(base, formatOf(target.type));
  const places = targets.map((target) => ({
    target,
    column: existing.get(target.name) ?? first + added.indexOf(target),
    isNew: !existing.has(target.name),
  }));
  return {
    places,
    neighbour: after,
    replacesFormulas,
    isProtected,
    lastData,
    lastStyles,
    bottom: Math.max(bottom, table?.area.bottom ?? 0),
    dayStyle: growing > 0 ? styles.like(0, "date") : 0,
  };
}

function hiddenColumns(tags: readonly Tag[]): (readonly [number, number])[] {
  return tags
    .filter((tag) => tag.name === "col" && /^(1|true)$/.test(attribute(tag, "hidden") ?? ""))
    .map((tag) => [Number(attribute(tag, "min")), Number(attribute(tag, "max"))] as const);
}

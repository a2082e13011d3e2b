import path from "node:path";
import { STATE_MARKS, type CellState, type ShownState, type TargetColumn } from "../../core/index.js";
import { KeySet, type FileChanges, type FileRow } from "../../files/index.js";
import { columnLetters, escapeText } from "../../files/parts/index.js";
import { escapeCell } from "./cell-text.js";
import { broken, dataRows, readLayout, rowValues, type Layout } from "./layout.js";
import { sheetRow } from "./row-key.js";

/** The sheet that tells how cells stand. */
export const STATES_SHEET = "Cell states";
const MARK = "mark";
const WHY = "why";
const BATCH_ROWS = 500;
const WIDE = 80;
const NARROW = 14;

/**
 * A sheet with a row for each row of the table: its key, how each filled cell stands, and why. One of an earlier fill is
 * written anew; another of that name is left alone, and is an error.
 */
export async function statesSheet(
  layout: Layout,
  key: readonly string[],
  columns: readonly TargetColumn[],
  changes: FileChanges,
): Promise<{ readonly part: string; readonly isNew: boolean; readonly content: AsyncIterable<string> }> {
  const { file, book, sheet } = layout;
  const before = book.sheets.find((one) => one.name === STATES_SHEET);
  if (before) {
    const names = (await readLayout(file, { sheet: STATES_SHEET, headerRow: 1 })).columns.map((column) => column.name);
    if (before.part === sheet.part || names.at(-1) !== WHY || !key.every((column, index) => names[index] === column)) {
      throw broken(
        file,
        before,
        "row 1",
        `a sheet of that name is there already, and is none that tells of cells. Give it another name, or leave out \`states: sheet\`.`,
      );
    }
  }
  const folder = path.posix.dirname(sheet.part);
  let part = before?.part ?? `${folder}/cellStates.xml`;
  for (let number = 2; !before && file.has(part); number++) part = `${folder}/cellStates${number}.xml`;
  return { part, isNew: !before, content: sheetText(layout, key, columns, changes) };
}

async function* sheetText(
  layout: Layout,
  key: readonly string[],
  columns: readonly TargetColumn[],
  changes: FileChanges,
): AsyncGenerator<string> {
  const header = [...key, MARK, ...columns.map(({ name }) => name), WHY];
  const widths = header
    .map(
      (_, index) => `<col min="${index + 1}" max="${index + 1}" width="${index === header.length - 1 ? WIDE : NARROW}" customWidth="1"/>`,
    )
    .join("");
  yield `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><cols>${widths}</cols><sheetData>`;
  yield rowText(1, header);
  let number = 1;
  const told = async (rows: readonly Named[]): Promise<string> => {
    const states = await changes.statesOf!(rows.map((row) => row.key));
    return rows
      .map(({ values, problem }, index) =>
        rowText(++number, [
          ...key.map((column) => values[column] ?? ""),
          markOf(columns, states[index] ?? {}),
          ...columns.map(({ name }) => states[index]?.[name]?.state ?? ""),
          problem ?? whyOf(columns, states[index] ?? {}),
        ]),
      )
      .join("");
  };
  let batch: FileRow[] = [];
  const seen = new KeySet();
  const flush = async (): Promise<string> => {
    const found = await changes.of(batch);
    const text = await told(batch.filter((_, index) => found[index]?.goes !== true));
    batch = [];
    return text;
  };
  for await (const rows of dataRows(layout)) {
    for (const row of rows) {
      const values = rowValues(layout, row);
      if (values) batch.push(sheetRow(layout, row, values, key, seen));
      if (batch.length >= BATCH_ROWS) yield await flush();
    }
  }
  yield await flush();
  for await (const rows of changes.added()) yield await told(rows);
  yield `</sheetData><autoFilter ref="A1:${columnLetters(header.length)}${number}"/></worksheet>`;
}

type Named = Pick<FileRow, "key" | "values" | "problem">;

/** The sign of a row's gravest state; none where its cells are simply filled. */
function markOf(columns: readonly TargetColumn[], states: Readonly<Record<string, ShownState>>): string {
  const own = new Set(columns.map(({ name }) => states[name]?.state));
  const gravest = Object.entries(STATE_MARKS).find(([state]) => own.has(state as CellState));
  return gravest?.[1].sign.trim() ?? "";
}

/** The reasons of a row's cells, each once. */
function whyOf(columns: readonly TargetColumn[], states: Readonly<Record<string, ShownState>>): string {
  return [...new Set(columns.flatMap(({ name }) => states[name]?.why ?? []))].join("; ");
}

function rowText(number: number, cells: readonly string[]): string {
  return `<row r="${number}">${cells.map((text, index) => (text === "" ? "" : `<c r="${columnLetters(index + 1)}${number}" t="inlineStr"><is><t xml:space="preserve">${escapeText(escapeCell(text.slice(0, 32_000)))}</t></is></c>`)).join("")}</row>`;
}

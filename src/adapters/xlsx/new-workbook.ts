import { zipSync, type Zippable } from "fflate";
import { columnLetters, escapeAttribute } from "../../files/parts/index.js";
import { escapeCell } from "./cell-text.js";

/** A column of a new sheet. */
export interface NewColumn {
  readonly name: string;
  /** In characters. Default 16. */
  readonly width?: number | undefined;
  /** What a drop-down offers in its cells; other text is refused by a spreadsheet. */
  readonly options?: readonly string[] | undefined;
  /** Whether something is to be typed here: such columns have a ground of their own. */
  readonly isOpen?: boolean | undefined;
  readonly isHidden?: boolean | undefined;
}

const encoder = new TextEncoder();
const HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
const RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
const PACKAGE = "http://schemas.openxmlformats.org/package/2006";
/** The place of a style in `STYLES`. */
const STYLE = { plain: 0, header: 1, wrapped: 2, open: 3 } as const;

/**
 * The bytes of a new workbook with one sheet of texts, a header row that stays in sight, and drop-downs (SpreadsheetML, ECMA-376 part 1).
 * Texts are kept as texts, so that none can be taken for a formula.
 *
 * @param rows each as long as `columns`.
 */
export function newWorkbook(sheet: string, columns: readonly NewColumn[], rows: readonly (readonly string[])[]): Uint8Array {
  const lists = columns.filter((column) => column.options && column.options.length > 0);
  const parts: Record<string, string> = {
    "[Content_Types].xml": contentTypes(lists.length > 0),
    "_rels/.rels": `${HEAD}<Relationships xmlns="${PACKAGE}/relationships"><Relationship Id="rId1" Type="${RELATIONS}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    "xl/workbook.xml": `${HEAD}<workbook xmlns="${MAIN}" xmlns:r="${RELATIONS}"><sheets><sheet name="${escapeAttribute(sheet)}" sheetId="1" r:id="rId1"/>${lists.length > 0 ? '<sheet name="options" sheetId="2" state="hidden" r:id="rId2"/>' : ""}</sheets></workbook>`,
    "xl/_rels/workbook.xml.rels": `${HEAD}<Relationships xmlns="${PACKAGE}/relationships"><Relationship Id="rId1" Type="${RELATIONS}/worksheet" Target="worksheets/sheet1.xml"/>${lists.length > 0 ? `<Relationship Id="rId2" Type="${RELATIONS}/worksheet" Target="worksheets/sheet2.xml"/>` : ""}<Relationship Id="rId3" Type="${RELATIONS}/styles" Target="styles.xml"/></Relationships>`,
    "xl/styles.xml": STYLES,
    "xl/worksheets/sheet1.xml": mainSheet(columns, rows, lists),
    ...(lists.length > 0 ? { "xl/worksheets/sheet2.xml": optionsSheet(lists) } : {}),
  };
  const files: Zippable = Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, encoder.encode(text)]));
  return zipSync(files);
}

const contentTypes = (hasOptions: boolean): string =>
  `${HEAD}<Types xmlns="${PACKAGE}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/>${hasOptions ? '<Override PartName="/xl/worksheets/sheet2.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/>' : ""}<Override PartName="/xl/styles.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml"/></Types>`;

const STYLES = `${HEAD}<styleSheet xmlns="${MAIN}"><fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="3"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FFFBF3DC"/><bgColor indexed="64"/></patternFill></fill></fills><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="4"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/><xf numFmtId="0" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0" applyAlignment="1"><alignment vertical="top" wrapText="1"/></xf><xf numFmtId="49" fontId="0" fillId="2" borderId="0" xfId="0" applyNumberFormat="1" applyFill="1" applyAlignment="1"><alignment vertical="top" wrapText="1"/></xf></cellXfs><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>`;

function mainSheet(columns: readonly NewColumn[], rows: readonly (readonly string[])[], lists: readonly NewColumn[]): string {
  const last = Math.max(rows.length + 1, 2);
  const widths = columns.map(
    ({ width = 16, isHidden }, index) =>
      `<col min="${index + 1}" max="${index + 1}" width="${width}" customWidth="1"${isHidden ? ' hidden="1"' : ""}/>`,
  );
  const header = rowXml(
    1,
    columns.map(({ name }) => name),
    () => STYLE.header,
  );
  const body = rows.map((row, index) => rowXml(index + 2, row, (at) => (columns[at]!.isOpen ? STYLE.open : STYLE.wrapped)));
  const checks = lists.map((column, index) => {
    const letters = columnLetters(columns.indexOf(column) + 1);
    const place = columnLetters(index + 1);
    return `<dataValidation type="list" allowBlank="1" showErrorMessage="1" sqref="${letters}2:${letters}${last}"><formula1>options!$${place}$1:$${place}$${column.options!.length}</formula1></dataValidation>`;
  });
  const validations = checks.length > 0 ? `<dataValidations count="${checks.length}">${checks.join("")}</dataValidations>` : "";
  return `${HEAD}<worksheet xmlns="${MAIN}"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><cols>${widths.join("")}</cols><sheetData>${header}${body.join("")}</sheetData>${validations}</worksheet>`;
}

function optionsSheet(lists: readonly NewColumn[]): string {
  const length = Math.max(0, ...lists.map(({ options }) => options!.length));
  const rows = Array.from({ length }, (_, row) =>
    rowXml(
      row + 1,
      lists.map(({ options }) => options![row] ?? ""),
      () => STYLE.plain,
    ),
  );
  return `${HEAD}<worksheet xmlns="${MAIN}"><sheetData>${rows.join("")}</sheetData></worksheet>`;
}

/** A cell can hold so many characters. */
const MOST_CHARS = 32_767;

function rowXml(row: number, texts: readonly string[], styleOf: (at: number) => number): string {
  const cells = texts.map((text, at) => {
    const style = styleOf(at);
    const name = `${columnLetters(at + 1)}${row}`;
    if (text === "") return style === STYLE.open ? `<c r="${name}" s="${style}"/>` : "";
    return `<c r="${name}" s="${style}" t="inlineStr"><is><t xml:space="preserve">${textXml(text)}</t></is></c>`;
  });
  return `<row r="${row}">${cells.join("")}</row>`;
}

const textXml = (text: string): string =>
  escapeCell(text.slice(0, MOST_CHARS)).replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll("\r", "&#13;");

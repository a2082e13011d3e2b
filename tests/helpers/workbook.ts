import { strToU8, zipSync } from "fflate";

const escape = (text: string): string => text.replace(/[&<>]/g, (char) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;" })[char]!);
const letters = (column: number): string =>
  (column < 26 ? "" : letters(Math.floor(column / 26) - 1)) + String.fromCharCode(65 + (column % 26));
const MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
const LINKS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";

/** A small workbook with one sheet of texts, or with a sheet's part written by hand. */
export function workbook(
  sheet: string | readonly (readonly string[])[],
  { name = "Log", extra = {}, workbookParts = "" }: { name?: string; extra?: Record<string, string>; workbookParts?: string } = {},
): Buffer {
  const data = typeof sheet === "string" ? sheet : sheetOf(sheet);
  const parts: Record<string, string> = {
    "[Content_Types].xml": `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
    "_rels/.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${LINKS}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
    "xl/workbook.xml": `<workbook xmlns="${MAIN}" xmlns:r="${LINKS}">${workbookParts}<sheets><sheet name="${name}" sheetId="1" r:id="r1"/></sheets></workbook>`,
    "xl/_rels/workbook.xml.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${LINKS}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
    "xl/worksheets/sheet1.xml": data,
    ...extra,
  };
  return Buffer.from(zipSync(Object.fromEntries(Object.entries(parts).map(([part, text]) => [part, strToU8(text)]))));
}

/** A sheet's part around rows written by hand. */
export const sheetPart = (rows: string, before = "", behind = ""): string =>
  `<?xml version="1.0" encoding="UTF-8"?><worksheet xmlns="${MAIN}">${before}<sheetData>${rows}</sheetData>${behind}</worksheet>`;

function sheetOf(rows: readonly (readonly string[])[]): string {
  return sheetPart(
    rows
      .map(
        (cells, row) =>
          `<row r="${row + 1}">${cells.map((text, column) => (text === "" ? "" : `<c r="${letters(column)}${row + 1}" t="inlineStr"><is><t xml:space="preserve">${escape(text)}</t></is></c>`)).join("")}</row>`,
      )
      .join(""),
  );
}

const ODF = "urn:oasis:names:tc:opendocument:xmlns";

/** A small OpenDocument spreadsheet with one sheet of texts. */
export function document(rows: readonly (readonly string[])[], name = "Log"): Buffer {
  const paragraph = (line: string): string =>
    `<text:p>${escape(line).replace(/^ +| {2,}| +$/g, (blanks) => `<text:s text:c="${blanks.length}"/>`)}</text:p>`;
  const cell = (text: string): string =>
    `<table:table-cell office:value-type="string">${text.split("\n").map(paragraph).join("")}</table:table-cell>`;
  const lines = rows.map(
    (cells) => `<table:table-row>${cells.map((text) => (text === "" ? "<table:table-cell/>" : cell(text))).join("")}</table:table-row>`,
  );
  const content = `<office:document-content xmlns:office="${ODF}:office:1.0" xmlns:table="${ODF}:table:1.0" xmlns:text="${ODF}:text:1.0"><office:body><office:spreadsheet><table:table table:name="${name}">${lines.join("")}</table:table></office:spreadsheet></office:body></office:document-content>`;
  return Buffer.from(
    zipSync({ mimetype: [strToU8("application/vnd.oasis.opendocument.spreadsheet"), { level: 0 }], "content.xml": strToU8(content) }),
  );
}

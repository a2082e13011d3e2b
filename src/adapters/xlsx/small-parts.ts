import {
  areaOf,
  areaText,
  attribute,
  edited,
  escapeAttribute,
  type PackageFile,
  prefixOf,
  type Tag,
  tagsOf,
  withAttribute,
} from "../../files/parts/index.js";
import { escapeCell } from "./cell-text.js";
import { relationshipsPart, type Workbook } from "./workbook.js";

/**
 * A defined table's part with further columns at its right and rows at its bottom, its filter with it. The names must be those of the
 * header's cells.
 */
export function resizedTable(text: string, names: readonly string[], bottom: number): string {
  const tags = tagsOf(text);
  const table = tags.find((tag) => tag.name === "table")!;
  const area = areaOf(attribute(table, "ref")!);
  const widened = { ...area, right: area.right + names.length, bottom: Math.max(area.bottom, bottom) };
  const lower = widened.bottom - area.bottom;
  const list = tags.find((tag) => tag.name === "tableColumns")!;
  const columns = tags.filter((tag) => tag.name === "tableColumn");
  const filter = tags.find((tag) => tag.name === "autoFilter");
  const firstId = Math.max(0, ...columns.map((tag) => Number(attribute(tag, "id")))) + 1;
  const prefix = prefixOf(table.qualified);
  const close = text.indexOf(`</${list.qualified}>`, list.end);
  const source = (tag: { start: number; end: number }): string => text.slice(tag.start, tag.end);
  const filterArea = filter && areaOf(attribute(filter, "ref")!);
  return edited(text, [
    { ...table, text: withAttribute(source(table), "ref", areaText(widened)) },
    // The filter leaves out the row of totals.
    ...(filter && filterArea
      ? [
          {
            ...filter,
            text: withAttribute(
              source(filter),
              "ref",
              areaText({ ...filterArea, right: widened.right, bottom: filterArea.bottom + lower }),
            ),
          },
        ]
      : []),
    { ...list, text: withAttribute(source(list), "count", String(columns.length + names.length)) },
    {
      start: close,
      end: close,
      text: names
        .map(
          (name, index) =>
            `<${prefix}tableColumn id="${firstId + index}" name="${escapeAttribute(escapeCell(name).replace(/\n/g, "_x000a_"))}"/>`,
        )
        .join(""),
    },
  ]);
}

/** What follows `calcPr` in a workbook's part (ECMA-376 part 1, 18.2.27). */
const BEHIND_CALCULATION = new Set([
  "oleSize",
  "customWorkbookViews",
  "pivotCaches",
  "smartTagPr",
  "smartTagTypes",
  "webPublishing",
  "fileRecoveryPr",
  "webPublishObjects",
  "extLst",
]);

/** The workbook's part with formulas to be calculated when it is next opened. */
export function recalculated(text: string): string {
  const tags = tagsOf(text);
  const settings = tags.find((tag) => tag.name === "calcPr");
  if (settings)
    return edited(text, [{ ...settings, text: withAttribute(text.slice(settings.start, settings.end), "fullCalcOnLoad", "1") }]);
  const root = tags[0]!;
  const behind = tags.find((tag) => BEHIND_CALCULATION.has(tag.name));
  const at = behind?.start ?? text.lastIndexOf(`</${root.qualified}>`);
  return edited(text, [{ start: at, end: at, text: `<${prefixOf(root.qualified)}calcPr fullCalcOnLoad="1"/>` }]);
}

/**
 * The parts without the order of calculation, which a spreadsheet program makes anew; it may not name a cell that no longer has a formula.
 */
export async function withoutCalculationChain(file: PackageFile, book: Workbook): Promise<[string, string | null][]> {
  const chain = book.calculationChain;
  if (chain === undefined || !file.has(chain)) return [];
  const without = (text: string, isIt: (tag: Tag) => boolean): string =>
    edited(
      text,
      tagsOf(text)
        .filter((tag) => tag.selfClosing && isIt(tag))
        .map(({ start, end }) => ({ start, end, text: "" })),
    );
  const links = relationshipsPart(book.part);
  const types = "[Content_Types].xml";
  return [
    [chain, null],
    [links, without((await file.text(links))!, (tag) => attribute(tag, "Type")?.endsWith("/calcChain") === true)],
    [types, without((await file.text(types))!, (tag) => attribute(tag, "PartName")?.toLowerCase() === `/${chain.toLowerCase()}`)],
  ];
}

/** The parts that name a new sheet, behind all others: the workbook, its links, the list of parts' types. */
export async function withSheet(
  book: Workbook,
  { name, part }: { readonly name: string; readonly part: string },
  partText: (part: string) => Promise<string>,
): Promise<[string, string][]> {
  const links = relationshipsPart(book.part);
  const types = "[Content_Types].xml";
  const [bookText, linksText, typesText] = await Promise.all([partText(book.part), partText(links), partText(types)]);
  const bookTags = tagsOf(bookText);
  const sheets = bookTags.filter((tag) => tag.name === "sheet");
  const linkTags = tagsOf(linksText);
  const ids = linkTags.filter((tag) => tag.name === "Relationship").map((tag) => attribute(tag, "Id"));
  let number = ids.length + 1;
  while (ids.includes(`rId${number}`)) number++;
  const last = sheets.at(-1)!;
  // The namespace of `id` may be declared at each sheet; it is another in files of the strict form.
  const prefix = /([\w.-]+):id\s*=/.exec(last.source)?.[1] ?? "r";
  const namespace =
    new RegExp(`xmlns:${prefix}\\s*=\\s*["']([^"']+)["']`).exec(bookText)?.[1] ??
    "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
  const sheetId = Math.max(0, ...sheets.map((tag) => Number(attribute(tag, "sheetId")))) + 1;
  const behind = (text: string, tag: Tag | undefined, what: string): string => {
    const end = text.lastIndexOf(`</${tag!.qualified}>`);
    return edited(text, [{ start: end, end, text: what }]);
  };
  return [
    [
      book.part,
      behind(
        bookText,
        bookTags.find((tag) => tag.name === "sheets"),
        `<${prefixOf(last.qualified)}sheet name="${escapeAttribute(name)}" sheetId="${sheetId}" xmlns:${prefix}="${namespace}" ${prefix}:id="rId${number}"/>`,
      ),
    ],
    [
      links,
      behind(
        linksText,
        linkTags[0],
        `<${prefixOf(linkTags[0]!.qualified)}Relationship Id="rId${number}" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="/${escapeAttribute(part)}"/>`,
      ),
    ],
    [
      types,
      behind(
        typesText,
        tagsOf(typesText)[0],
        `<${prefixOf(tagsOf(typesText)[0]!.qualified)}Override PartName="/${escapeAttribute(part)}" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/>`,
      ),
    ],
  ];
}

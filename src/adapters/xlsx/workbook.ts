import path from "node:path";
import { YoroshiError } from "../../core/index.js";
import { type Area, areaOf, attribute, type PackageFile, type Tag, tagsOf } from "../../files/parts/index.js";
import { type DateSystem, unescapeCell } from "./cell-text.js";

export interface Sheet {
  readonly name: string;
  readonly part: string;
  readonly visible: boolean;
}

/** A defined table of a sheet. */
export interface DefinedTable {
  readonly name: string;
  readonly part: string;
  readonly area: Area;
  readonly columns: readonly string[];
  /** Rows at its end that are totals, not data. */
  readonly totals: number;
}

/** What of a workbook is needed to read and fill a sheet. */
export interface Workbook {
  readonly part: string;
  readonly sheets: readonly Sheet[];
  readonly dates: DateSystem;
  readonly styles: string | undefined;
  readonly sharedStrings: string | undefined;
  readonly calculationChain: string | undefined;
}

interface Relationship {
  readonly id: string;
  readonly type: string;
  readonly target: string;
}

export async function readWorkbook(file: PackageFile): Promise<Workbook> {
  const main = (await relationships(file, "")).find((one) => one.type === "officeDocument");
  const text = main && (await file.text(main.target));
  if (!main || text === undefined) throw new YoroshiError("fileUnreadable", { file: file.name, problem: "it is not a workbook" });
  if (/\.bin$/i.test(main.target))
    throw new YoroshiError("fileUnreadable", { file: file.name, problem: "it is a binary workbook (.xlsb). Save it as .xlsx" });
  const related = await relationships(file, main.target);
  const tags = tagsOf(text);
  const byType = (type: string): string | undefined => related.find((one) => one.type === type)?.target;
  const sheets = tags
    .filter((tag) => tag.name === "sheet")
    .flatMap((tag) => {
      const target = related.find((one) => one.id === attribute(tag, "id") && one.type === "worksheet");
      return target
        ? [{ name: attribute(tag, "name") ?? "", part: target.target, visible: (attribute(tag, "state") ?? "visible") === "visible" }]
        : [];
    });
  const properties = tags.find((tag) => tag.name === "workbookPr");
  return {
    part: main.target,
    sheets,
    dates: properties && /^(1|true)$/.test(attribute(properties, "date1904") ?? "") ? 1904 : 1900,
    styles: byType("styles"),
    sharedStrings: byType("sharedStrings"),
    calculationChain: byType("calcChain"),
  };
}

/** Where a part's relationships stand. */
export const relationshipsPart = (part: string): string =>
  path.posix.join(path.posix.dirname(part), "_rels", `${path.posix.basename(part)}.rels`);

async function relationships(file: PackageFile, part: string): Promise<Relationship[]> {
  const text = await file.text(part === "" ? "_rels/.rels" : relationshipsPart(part));
  if (text === undefined) return [];
  return tagsOf(text)
    .filter((tag) => tag.name === "Relationship" && attribute(tag, "TargetMode") !== "External")
    .map((tag) => ({
      id: attribute(tag, "Id") ?? "",
      type: (attribute(tag, "Type") ?? "").split("/").at(-1)!,
      target: targetOf(part, attribute(tag, "Target") ?? ""),
    }));
}

/** Targets are relative to their part, or absolute in the package. */
function targetOf(part: string, target: string): string {
  return target.startsWith("/") ? target.slice(1) : path.posix.normalize(path.posix.join(path.posix.dirname(part), target));
}

export async function definedTables(file: PackageFile, sheet: Sheet): Promise<DefinedTable[]> {
  const tables: DefinedTable[] = [];
  for (const { type, target } of await relationships(file, sheet.part)) {
    const text = type === "table" ? await file.text(target) : undefined;
    if (text === undefined) continue;
    const tags = tagsOf(text);
    const table = tags.find((tag) => tag.name === "table")!;
    // Without its header row, a table has no names to go by.
    if (attribute(table, "headerRowCount") === "0") continue;
    tables.push({
      name: attribute(table, "displayName") ?? attribute(table, "name") ?? "",
      part: target,
      area: areaOf(attribute(table, "ref") ?? ""),
      columns: tags.filter((tag) => tag.name === "tableColumn").map((tag) => unescapeCell(attribute(tag, "name") ?? "")),
      totals: Number(attribute(table, "totalsRowCount") ?? 0),
    });
  }
  return tables;
}

/** For each cell style whether it shows a date or a time (ECMA-376 part 1, 18.8.30 lists the built-in formats). */
export async function dateStyles(file: PackageFile, { styles }: Workbook): Promise<boolean[]> {
  const text = styles === undefined ? undefined : await file.text(styles);
  if (text === undefined) return [];
  const tags = tagsOf(text);
  const formats = new Map(
    tags.filter((tag) => tag.name === "numFmt").map((tag) => [Number(attribute(tag, "numFmtId")), attribute(tag, "formatCode") ?? ""]),
  );
  return cellFormats(text, tags).map((tag) => isDate(Number(attribute(tag, "numFmtId") ?? 0), formats));
}

/** The `xf` tags that cells' styles count. */
export function cellFormats(text: string, tags: readonly Tag[]): Tag[] {
  const opening = tags.find((tag) => tag.name === "cellXfs");
  if (!opening) return [];
  const end = text.indexOf(`</${opening.qualified}>`, opening.end);
  return tags.filter((tag) => tag.name === "xf" && tag.start > opening.start && tag.start < end);
}

function isDate(id: number, formats: ReadonlyMap<number, string>): boolean {
  const code = formats.get(id);
  if (code === undefined) return (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58);
  // Without what is literal, a colour or a condition; `[h]`, `[m]` and `[s]` are times.
  return /[ymdhs]/i.test(code.replace(/"[^"]*"|\\.|_.|\*.|\[(?!h+\]|m+\]|s+\])[^\]]*\]/gi, "").replace(/General|E[+-]/gi, ""));
}

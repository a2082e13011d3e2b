import { copyFileSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { strFromU8, strToU8, unzipSync, zipSync } from "fflate";
import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import { documentOverview, odsRows, odsTable, type OdsTableOptions } from "../../src/adapters/ods/index.js";
import type { CellOut, Row, Table, TargetColumn } from "../../src/core/index.js";
import { python, PYTHON, resave, SOFFICE } from "../helpers/other-programs.js";

const FIXTURES = fileURLToPath(new URL("../fixtures/opendocument", import.meta.url));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-ods-"));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let files = 0;
const freshFolder = (): string => mkdtempSync(path.join(root, `${++files}-`));

const NS = ["office", "style", "text", "table"]
  .map((name) => `xmlns:${name}="urn:oasis:names:tc:opendocument:xmlns:${name}:1.0"`)
  .join(" ");
/** A document around sheets written by hand. */
const content = (sheets: string, { styles = "", behind = "", root = NS } = {}): string =>
  `<?xml version="1.0" encoding="UTF-8"?><office:document-content ${root}>${styles}<office:body><office:spreadsheet>${sheets}${behind}</office:spreadsheet></office:body></office:document-content>`;
const packed = (xml: string, extra: Record<string, string> = {}): Buffer =>
  Buffer.from(
    zipSync({
      mimetype: [strToU8("application/vnd.oasis.opendocument.spreadsheet"), { level: 0 }],
      ...Object.fromEntries(Object.entries({ "content.xml": xml, ...extra }).map(([name, text]) => [name, strToU8(text)])),
    }),
  );
const cell = (text: string, attributes = ""): string =>
  text === ""
    ? `<table:table-cell${attributes}/>`
    : `<table:table-cell office:value-type="string"${attributes}><text:p>${text}</text:p></table:table-cell>`;
const row = (...cells: string[]): string =>
  `<table:table-row>${cells.map((one) => (one.startsWith("<") ? one : cell(one))).join("")}</table:table-row>`;
const sheet = (rows: string, name = "Log"): string => `<table:table table:name="${name}">${rows}</table:table>`;

const open = (bytes: Buffer, options: Partial<OdsTableOptions> = {}): { table: Table; file: string; notices: string[] } => {
  const file = path.join(freshFolder(), "t.ods");
  writeFileSync(file, bytes);
  const notices: string[] = [];
  return { file, notices, table: odsTable({ file, name: "t.ods", key: "id", onNotice: (text) => notices.push(text), ...options }) };
};
const byHand = (rows: string, options: Partial<OdsTableOptions> = {}) => open(packed(content(sheet(rows))), options);
const filledName = (file: string): string => file.replace(/\.ods$/, ".filled.ods");
const partsOf = (file: string): Record<string, Uint8Array> => unzipSync(readFileSync(file));
const contentOf = (file: string): string => strFromU8(partsOf(file)["content.xml"]!);
const readAll = async (table: Table): Promise<Row[]> => {
  const rows: Row[] = [];
  for await (const chunk of table.read()) rows.push(...chunk.rows);
  return rows;
};
const gives = (all: Record<string, Record<string, CellOut>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);
const standing = async (table: Table, columns: string[]): Promise<Record<string, unknown>> => {
  const found: Record<string, unknown> = {};
  for await (const rows of table.standing(columns)) for (const { key, values } of rows) found[key] = columns.map((name) => values[name]);
  return found;
};

const NEW: TargetColumn[] = [
  { name: "hazard", freeText: false, type: "text" },
  { name: "score", freeText: false, type: "number" },
  { name: "due", freeText: false, type: "date" },
  { name: "urgent", freeText: false, type: "yesNo" },
  { name: "why", freeText: true, type: "text" },
];
const WORDS = "=1+1 é & <b>  two\nlines ";
const GIVEN = { hazard: "high", score: 4.5, due: "2026-03-04", urgent: true, why: WORDS };

describe.each(readdirSync(FIXTURES).filter((name) => name.endsWith(".ods")))("the document %s", (name) => {
  const HEADER = ["Key", "Name", "Amount", "Opened", "Rate", "Interest", "Status"];
  const headerRow = name === "odfpy.ods" ? 1 : 3;
  const opened = () => {
    const folder = freshFolder();
    const file = path.join(folder, name);
    copyFileSync(path.join(FIXTURES, name), file);
    const notices: string[] = [];
    return { folder, file, notices, table: odsTable({ file, name, key: "Key", headerRow, onNotice: (text) => notices.push(text) }) };
  };
  const fillAll = (table: Table) => table.write(NEW, async (keys) => keys.map((key) => (/^K\d/.test(key) ? GIVEN : undefined)));

  it("is read as what its cells say", async () => {
    const { table } = opened();
    expect(await table.columns()).toEqual(HEADER);
    const rows = (await readAll(table)).filter((one) => one.problem === undefined && /^K\d/.test(one.key));
    expect(rows).toHaveLength(40);
    expect(rows[4]!.values).toMatchObject({ Key: "K005", Amount: "101.25", Rate: "0.05", Status: "open" });
    expect(rows[4]!.values["Interest"]).toBe("5.0625");
    expect(rows[4]!.values["Opened"]).toMatch(/^2026-0[12]-0[56]$/);
    if (name !== "odfpy.ods") expect(rows[4]!.values["Name"]).toBe("Note 5 & <more>\nline two");
    // Two blanks side by side are two.
    if (name === "libreoffice.ods") expect(rows[6]!.values["Name"]).toBe("no  name");
  });

  it("is filled so that nothing else changes", async () => {
    const { table, file } = opened();
    await fillAll(table);
    const [before, after] = [partsOf(file), partsOf(filledName(file))];
    expect(Object.keys(after)).toEqual(Object.keys(before));
    const changed = Object.keys(before).filter((part) => Buffer.compare(before[part]!, after[part]!) !== 0);
    expect(changed.sort()).toEqual(["content.xml", "meta.xml"]);
    // The kind of the file shows in its first bytes.
    expect(readFileSync(filledName(file)).subarray(30, 38).toString()).toBe("mimetype");
    expect(whatChanged(contentOf(file), contentOf(filledName(file)))).toEqual([]);
    // A second fill of the same values writes the same bytes.
    const once = readFileSync(filledName(file));
    await fillAll(table);
    expect(readFileSync(filledName(file)).equals(once)).toBe(true);
  });

  it("is read and saved by LibreOffice with all that was written, and its formulas follow", async (context) => {
    if (!SOFFICE || !PYTHON) return context.skip("neither LibreOffice nor openpyxl is here");
    const { table, file, folder, notices } = opened();
    await table.write([...NEW, { name: "Amount", freeText: false, type: "number" }], async (keys) =>
      keys.map((key) => (/^K\d/.test(key) ? { ...GIVEN, Amount: 200 } : undefined)),
    );
    resave(filledName(file), "xlsx", folder);
    const script = `
import openpyxl, json, sys
book = openpyxl.load_workbook(sys.argv[1], data_only=True)
sheet = book["Deck log"]
head = int(sys.argv[2])
cells = lambda row: [c.value for c in sheet[row]][:12]
first = list(sheet[head + 5])
print(json.dumps([cells(head), [str(v) for v in cells(head + 5)], first[9].number_format, book.sheetnames, str(book["Sums"]["B1"].value) if "Sums" in book.sheetnames else "", sheet.auto_filter.ref, len(sheet._charts), sheet["B5"].comment.text if sheet["B5"].comment else "", sheet.merged_cells.ranges and str(list(sheet.merged_cells.ranges)[0])]))`;
    const [header, values, dateFormat, sheets, sum, filter, , note, merged] = JSON.parse(
      python(script, filledName(file).replace(/\.ods$/, ".xlsx"), String(headerRow)),
    ) as [string[], string[], string, string[], string, string, number, string, string];
    expect(header).toEqual([...HEADER, ...NEW.map((one) => one.name)]);
    expect(values.slice(7)).toEqual(["high", "4.5", "2026-03-04 00:00:00", expect.stringMatching(/True|1/), WORDS]);
    expect(dateFormat.toLowerCase()).toContain("yy");
    if (name !== "odfpy.ods") {
      // LibreOffice calculates what it wrote itself; of other programs' documents it takes the results as they stand, and that is told.
      expect(Number(sum)).toBe(name === "libreoffice.ods" ? 8000 : 4205);
      expect(notices).toEqual([expect.stringContaining("formulas show what they showed before")]);
      expect(sheets).toContain("Notes of mine");
      expect(merged).toBe("A1:G1");
    }
    if (name === "libreoffice.ods") expect(filter).toBe("A3:L43");
    if (name === "libreoffice.ods") expect(note).toContain("seen by the mate");
    // What LibreOffice saves is the same result again: nothing in it counts as a person's change.
    const own = path.join(freshFolder(), "again");
    resave(filledName(file), "ods", own);
    const again = odsTable({ file: path.join(own, path.basename(filledName(file))), key: "Key", headerRow });
    const columns = NEW.map((one) => one.name);
    const now = await standing(again, columns);
    expect(now["K005"]).toEqual(NEW.map((column) => table.asWritten(column, GIVEN[column.name as keyof typeof GIVEN])));
  }, 600_000);
});

/** What is not as it was, piece by piece: styles may come, cells behind those of a row, and a filter may widen. */
function whatChanged(before: string, after: string): string[] {
  const pieces = (xml: string): string[] => xml.split(/(?=<table:table-row\b)|(?=<\/table:table>)/);
  const filters = /(target-range-address=")[^"]*/g;
  const [old, now] = [pieces(before), pieces(after)];
  if (old.length !== now.length) return [`${now.length} pieces instead of ${old.length}`];
  return old.flatMap((piece, index) => {
    const one = now[index]!;
    if (piece.replace(filters, "$1") === one.replace(filters, "$1")) return [];
    if (index === 0) {
      const styles = /<office:automatic-styles>.*<\/office:automatic-styles>|<office:automatic-styles\/>/s;
      const own = (styles.exec(piece)![0].match(/^<office:automatic-styles>(.*)<\/office:automatic-styles>$/s)?.[1] ?? "").trimEnd();
      const kept = piece.replace(styles, "") === one.replace(styles, "") && styles.exec(one)![0].includes(own);
      return kept ? [] : ["what stands before the first row"];
    }
    // The chart stands in a cell that takes a value now.
    if (piece.includes("<draw:frame")) return one.includes(/<draw:frame.*<\/draw:frame>/s.exec(piece)![0]) ? [] : ["the chart"];
    // Blank cells at a row's end make room for new ones.
    const kept = piece.replace(/(\s*<table:table-cell[^>]*\/>)*\s*<\/table:table-row>\s*$/, "");
    return one.startsWith(kept)
      ? []
      : [`row piece ${index}: ${kept.slice(-120)} / ${one.slice(Math.max(0, kept.length - 120), kept.length)}`];
  });
}

describe("an OpenDocument spreadsheet", () => {
  it("gives each of repeated rows and cells its own value, and keeps those together that stay alike", async () => {
    const { table, file } = byHand(
      `${row("id", "text")}${row("a", "same")}<table:table-row table:number-rows-repeated="3">${cell("", ' table:number-columns-repeated="4"')}</table:table-row>` +
        `${row("b", cell("x", ' table:number-columns-repeated="2"'))}<table:table-row table:number-rows-repeated="1048570">${cell("", ' table:number-columns-repeated="16384"')}</table:table-row>`,
    );
    expect((await readAll(table)).map((one) => [one.key, one.place])).toEqual([
      ["a", "row 2"],
      ["b", "row 6"],
    ]);
    await table.write([{ name: "text", freeText: false }], gives({ b: { text: "y" } }));
    const xml = contentOf(filledName(file));
    expect(xml).toContain(
      `${cell("b")}<table:table-cell office:value-type="string"><text:p>y</text:p></table:table-cell>${cell("x")}</table:table-row>`,
    );
    expect(xml).toContain('table:number-rows-repeated="3"');
    const alike = byHand(`${row("id", "n")}<table:table-row table:number-rows-repeated="3">${cell("k")}${cell("v")}</table:table-row>`, {
      key: "id",
    });
    expect((await readAll(alike.table)).map(({ key, problem }) => [key, problem])).toEqual([
      ["k", undefined],
      ["k (row 3)", "the key stands in row 2, too"],
      ["k (row 4)", "the key stands in row 2, too"],
    ]);
    await alike.table.write([{ name: "n", freeText: false }], gives({ k: { n: "w" } }));
    expect(contentOf(filledName(alike.file))).toContain(
      `<text:p>w</text:p></table:table-cell></table:table-row><table:table-row table:number-rows-repeated="2">`,
    );
  });

  it("reads texts as they are written: blanks, tabs, lines, links; notes and drawings beside them are none of it", async () => {
    const odd = `<table:table-cell office:value-type="string"><office:annotation><text:p>a note</text:p></office:annotation><text:p>  a <text:s text:c="2"/>b\n  c<text:tab/>d<text:line-break/><text:span>e <text:a xlink:href="x">f</text:a></text:span></text:p><text:p/><text:p>g &amp; <![CDATA[<h>]]></text:p><draw:frame><draw:text-box><text:p>drawn</text:p></draw:text-box></draw:frame></table:table-cell>`;
    const { table, file } = byHand(`${row("id", "text")}${row("a", odd)}`);
    expect((await readAll(table))[0]!.values["text"]).toBe("  a   b c\td\ne f\n\ng & <h>");
    await table.write([{ name: "text", freeText: false }], gives({ a: { text: "new" } }));
    expect(contentOf(filledName(file))).toContain(
      `<table:table-cell office:value-type="string"><office:annotation><text:p>a note</text:p></office:annotation><text:p>new</text:p><draw:frame><draw:text-box><text:p>drawn</text:p></draw:text-box></draw:frame></table:table-cell>`,
    );
  });

  it.each([
    ["float", ' office:value="1.50"', "1.5"],
    ["percentage", ' office:value="0.25"', "0.25"],
    ["currency", ' office:currency="EUR" office:value="12"', "12"],
    ["date", ' office:date-value="2026-03-01"', "2026-03-01"],
    ["date", ' office:date-value="2026-03-01T10:30:00"', "2026-03-01T10:30"],
    ["date", ' office:date-value="2026-03-01T00:00:00"', "2026-03-01"],
    ["date", ' office:date-value="2026-03-01T10:30:15.250000000"', "2026-03-01T10:30:15"],
    ["time", ' office:time-value="PT08H30M00S"', "08:30"],
    ["time", ' office:time-value="PT26H05M09S"', "26:05:09"],
    ["boolean", ' office:boolean-value="true"', "true"],
    ["string", ' office:string-value="kept apart"', "kept apart"],
  ])("reads a %s with%s", async (type, attributes, text) => {
    const one = `<table:table-cell office:value-type="${type}"${attributes}><text:p>shown</text:p></table:table-cell>`;
    expect((await readAll(byHand(`${row("id", "v")}${row("a", one)}`).table))[0]!.values["v"]).toBe(text);
  });

  it("gives back whatever text it takes", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.string({ unit: "binary", maxLength: 30 }), { minLength: 1, maxLength: 8 }), async (texts) => {
        const { table } = byHand(`${row("id")}${texts.map((_, index) => row(`r${index}`)).join("")}`);
        const column = { name: "why", freeText: true } as const;
        await table.write([column], gives(Object.fromEntries(texts.map((why, index) => [`r${index}`, { why }]))));
        const found = await standing(table, ["why"]);
        expect(texts.map((_, index) => found[`r${index}`])).toEqual(texts.map((text) => [table.asWritten(column, text)]));
      }),
      { numRuns: 40 },
    );
  });

  it("takes the names of the namespaces as the document has them", async () => {
    const standard = content(sheet(`${row("id", "text")}${row("a", "x")}`));
    const own = ["office", "table", "text", "style"]
      .map((name, index) => `xmlns:${["o", "t", "x", "st"][index]}="urn:oasis:names:tc:opendocument:xmlns:${name}:1.0"`)
      .join(" ");
    const other = standard
      .replace(NS, own)
      .replace(/([</ ])table:/g, "$1t:")
      .replace(/([</ ])office:/g, "$1o:")
      .replace(/([</ ])text:/g, "$1x:");
    const { table, file } = open(packed(other));
    await table.write([{ name: "due", freeText: false, type: "date" }], gives({ a: { due: "2026-01-02" } }));
    expect(await standing(table, ["due"])).toEqual({ a: ["2026-01-02"] });
    expect(contentOf(filledName(file))).toMatch(
      /<t:table-cell t:style-name="filled\d" o:value-type="date" o:date-value="2026-01-02"><x:p>2026-01-02<\/x:p>/,
    );
  });

  it("keeps rows of groups and headers where they are, and puts new columns beside what stands there", async () => {
    const { table, file } = byHand(
      `<table:table-column table:number-columns-repeated="2"/><table:table-header-rows>${row("id", "text", "", "mine")}</table:table-header-rows><table:table-row-group>${row("a", "x")}${row("b", "y", "", "z")}</table:table-row-group>`,
    );
    expect(await table.columns()).toEqual(["id", "text", "mine"]);
    await table.write([{ name: "level", freeText: false }], gives({ a: { level: 1 }, b: { level: 2 } }));
    const xml = contentOf(filledName(file));
    expect(xml).toContain(`</table:table-header-rows><table:table-row-group>`);
    expect(xml).toContain('<table:table-column table:number-columns-repeated="2"/><table:table-column table:number-columns-repeated="3"/>');
    expect(xml).toContain(
      `${cell("x")}<table:table-cell table:number-columns-repeated="2"/><table:table-cell office:value-type="float" office:value="1">`,
    );
    expect(await standing(table, ["level"])).toEqual({ a: ["1"], b: ["2"] });
  });

  it("fills a named range and widens it, and takes rows that come below it", async () => {
    const rows = `${row("", "")}${row("", "id", "text")}${row("", "a", "x")}`;
    const behind = `<table:database-ranges><table:database-range table:name="notes" table:target-range-address="'My log'.B2:'My log'.C3" table:contains-header="true"/></table:database-ranges>`;
    const make = () => packed(content(sheet(row("other")).replace("Log", "First") + sheet(rows, "My log"), { behind }));
    const { table, file } = open(make(), { table: "Notes" });
    expect(await table.columns()).toEqual(["id", "text"]);
    await table.write([{ name: "level", freeText: false }], gives({ a: { level: 1 } }));
    expect(contentOf(filledName(file))).toContain(`table:target-range-address="'My log'.B2:'My log'.D3"`);
    // A row comes in the source: it comes into the result below the last one, and the range with it.
    writeFileSync(
      file,
      packed(
        content(sheet(row("other")).replace("Log", "First") + sheet(rows + row("", "b", "new"), "My log"), {
          behind: behind.replace("C3", "C4"),
        }),
      ),
    );
    await table.write([{ name: "level", freeText: false }], gives({ a: { level: 1 }, b: { level: 2 } }));
    expect(await standing(table, ["text", "level"])).toEqual({ a: ["x", "1"], b: ["new", "2"] });
    expect(contentOf(filledName(file))).toContain("D4");
    await expect(open(make(), { table: "note" }).table.columns()).rejects.toThrow(/named range in t\.ods .*note.*notes/);
    await expect(open(make(), { sheet: "my lo" }).table.columns()).rejects.toThrow(/sheet in t\.ods .*my lo.*My log/);
  });

  it("carries what changes in the source into the result, with types, and leaves a person's own there", async () => {
    const date = `<table:table-cell office:value-type="date" office:date-value="2026-05-06"><text:p>06.05.2026</text:p></table:table-cell>`;
    const source = (text: string, more = "") =>
      packed(content(sheet(`${row("id", "text", "when")}${row("a", text, date)}${row("c", "old", "")}${more}`)));
    const { table, file } = open(source("first"));
    const columns = [{ name: "level", freeText: false, type: "integer" }] as const;
    await table.write(columns, gives({ a: { level: 1 }, c: { level: 3 } }));
    // A person marks the result, in a column of their own.
    const result = filledName(file);
    const edited = contentOf(result).replace(/(<text:p>1<\/text:p><\/table:table-cell>)/, `$1${cell("mine")}`);
    writeFileSync(result, zipSync({ ...partsOf(result), "content.xml": strToU8(edited) }));
    writeFileSync(file, source("second", row("b", "new", date)));
    await table.write(columns, gives({ a: { level: 1 }, b: { level: 2 }, c: { level: 3 } }), { touched: true });
    expect(await standing(table, ["text", "when", "level"])).toEqual({
      a: ["second", "2026-05-06", "1"],
      b: ["new", "2026-05-06", "2"],
      c: ["old", "", "3"],
    });
    expect(contentOf(result)).toContain("<text:p>mine</text:p>");
    expect(contentOf(result).match(/office:date-value="2026-05-06"/g)).toHaveLength(2);
  });

  it("takes formulas for computed, counts those without a value as blank and says so", async () => {
    const formula = (value: string): string => `<table:table-cell table:formula="of:=[.A1]"${value}/>`;
    const { table, notices } = byHand(
      `${row("id", "n")}${row("a", formula(' office:value-type="float" office:value="3"'))}${row("b", formula(""))}`,
    );
    const rows = await readAll(table);
    expect(rows.map(({ values }) => values["n"])).toEqual(["3", ""]);
    expect(notices).toEqual([
      "t.ods: 1 formula in `n` has no calculated value and counts as blank. Open the document in a spreadsheet program and save it.",
    ]);
    const failed = `<table:table-cell table:formula="of:=1/0" office:value-type="string" office:string-value="" calcext:value-type="error"><text:p>#DIV/0!</text:p></table:table-cell>`;
    expect((await readAll(byHand(`${row("id", "n")}${row("a", failed)}`).table))[0]!.values["n"]).toBe("#DIV/0!");
  });

  it.each<[string, Buffer, RegExp]>([
    [
      "an encrypted one",
      packed(content(sheet(row("id"))), { "META-INF/manifest.xml": '<m:manifest xmlns:m="x"><m:encryption-data/></m:manifest>' }),
      /t\.ods cannot be read: it is encrypted\. Save it without a password/,
    ],
    [
      "a text document",
      packed(`<office:document-content ${NS}><office:body><office:text/></office:body></office:document-content>`),
      /t\.ods cannot be read: it has no sheets/,
    ],
    [
      "a package without content",
      Buffer.from(zipSync({ a: strToU8("b") })),
      /t\.ods cannot be read: it is not an OpenDocument spreadsheet/,
    ],
    ["no package at all", Buffer.from("id;text\n"), /t\.ods cannot be read/],
    [
      "one that breaks off",
      packed(content(sheet(row("id", "text"))).slice(0, -90)),
      /t\.ods cannot be read: its part content\.xml is damaged/,
    ],
    ["one with a document type", packed(`<!DOCTYPE x [<!ENTITY a "b">]>${content(sheet(row("id")))}`), /t\.ods cannot be read/],
    ["one without a header", packed(content(sheet(row("", "")))), /the sheet has no row with the columns' names/],
    ["two columns of one name", packed(content(sheet(row("id", "x", "x")))), /two columns are named `x`/],
    ["no key column", packed(content(sheet(row("no", "x")))), /there is no column `id` for the key\. Columns: no, x/],
  ])("tells of %s", async (_, bytes, message) => {
    const { table } = open(bytes);
    await expect(readAll(table)).rejects.toThrow(message);
  });

  it("refuses to take a formula from cells that share it", async () => {
    const shared = `<table:table-cell table:formula="of:=[.A1]" table:number-matrix-columns-spanned="1" table:number-matrix-rows-spanned="2" office:value-type="float" office:value="3"/>`;
    const { table, file } = byHand(`${row("id", "n")}${row("a", shared)}`);
    await expect(table.write([{ name: "n", freeText: false }], gives({ a: { n: 1 } }))).rejects.toThrow(
      "t.ods (Log), cell B2: a formula that several cells share stands in `n`",
    );
    expect(readdirSync(path.dirname(file)).filter((name) => name.includes("filled"))).toEqual([]);
  });

  it("is looked over sheet by sheet, and read without a key", async () => {
    const file = path.join(FIXTURES, "libreoffice.ods");
    const sheets = await documentOverview(file, "x.ods");
    expect(sheets.map(({ name, visible }) => [name, visible])).toEqual([
      ["Deck log", true],
      ["Sums", true],
      ["Notes of mine", false],
    ]);
    expect(sheets[0]!.top.map((one) => one.row).slice(0, 2)).toEqual([1, 3]);
    const found: unknown[] = [];
    for await (const rows of odsRows(file, "x.ods", { sheet: "Deck log", headerRow: 3 }).rows()) found.push(...rows);
    expect(found).toHaveLength(41);
  });
});

import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { strFromU8, unzipSync } from "fflate";
import { afterAll, describe, expect, it } from "vitest";
import { xlsxRows, xlsxTable, type XlsxTableOptions } from "../../src/adapters/xlsx/index.js";
import type { CellOut, Row, StatesOf, Table, TargetColumn } from "../../src/core/index.js";
import { sheetPart, workbook } from "../helpers/workbook.js";

const FIXTURES = fileURLToPath(new URL("../fixtures/workbooks", import.meta.url));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-xlsx-"));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let files = 0;
const fresh = (content: Buffer): string => {
  const file = path.join(mkdtempSync(path.join(root, `${++files}-`)), "t.xlsx");
  writeFileSync(file, content);
  return file;
};
const filledName = (file: string): string => file.replace(/\.(xls[xm])$/, ".filled.$1");
const partsOf = (file: string): Record<string, Uint8Array> => unzipSync(readFileSync(file));
const readAll = async (table: Table): Promise<Row[]> => {
  const rows: Row[] = [];
  for await (const chunk of table.read()) rows.push(...chunk.rows);
  return rows;
};
const gives = (all: Record<string, Record<string, CellOut>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);
const open = (content: Buffer, options: Partial<XlsxTableOptions> = {}): { table: Table; file: string; notices: string[] } => {
  const file = fresh(content);
  const notices: string[] = [];
  return { file, notices, table: xlsxTable({ file, name: "t.xlsx", key: "id", onNotice: (text) => notices.push(text), ...options }) };
};

const NEW: TargetColumn[] = [
  { name: "AI note", freeText: true, type: "text" },
  { name: "AI score", freeText: false, type: "integer" },
  { name: "AI due", freeText: false, type: "date" },
];
const GIVEN = { "AI note": "=1+1 é & <b> _x0041_ \t日本", "AI score": 4, "AI due": "2026-03-04" };

// The oracles are other programs, never the code under test; where they are not installed, that is said.
const PYTHON = ["/usr/bin/python3", "python3"].find((python) => spawnSync(python, ["-c", "import openpyxl"]).status === 0);
const SOFFICE = ["soffice", "libreoffice"].find((office) => spawnSync(office, ["--version"]).status === 0);
if (!PYTHON) console.warn("NO OPENPYXL: workbooks are not opened with it.");
if (!SOFFICE) console.warn("NO LIBREOFFICE: workbooks are not opened with it.");

describe.each(readdirSync(FIXTURES).filter((name) => /\.xls[xm]$/.test(name)))("the workbook %s", (name) => {
  it("is filled so that nothing else changes, and other programs read what was written", async () => {
    const folder = mkdtempSync(path.join(root, "book-"));
    const file = path.join(folder, name);
    copyFileSync(path.join(FIXTURES, name), file);
    const table = xlsxTable({ file, name, key: "Key" });
    expect(await table.columns()).toEqual(["Key", "Name", "Amount", "Opened", "Rate", "Interest", "Status"]);
    const rows = await readAll(table);
    expect(rows).toHaveLength(100);
    expect(rows[0]!.values).toMatchObject({ Key: "K00001", Opened: "2024-01-01", Status: "open" });
    await table.write(NEW, async (keys) =>
      keys.map((key, index) => ({ ...GIVEN, "AI note": `${GIVEN["AI note"]} ${key}`, "AI score": index % 5 })),
    );

    const [before, after] = [partsOf(file), partsOf(filledName(file))];
    const changed = Object.keys(before).filter((part) => !after[part] || Buffer.compare(before[part]!, after[part]!) !== 0);
    expect(changed.sort()).toEqual(["xl/styles.xml", "xl/tables/table1.xml", "xl/worksheets/sheet1.xml"]);
    expect(Object.keys(after).sort()).toEqual(Object.keys(before).sort());

    if (PYTHON) {
      const script = `
import openpyxl, json, sys, warnings
warnings.filterwarnings("ignore")
book = openpyxl.load_workbook(sys.argv[1], keep_vba=sys.argv[1].endswith("m"))
sheet = book["Data"]
table = list(sheet.tables.values())[0]
left, right = table.ref.split(":")
header = [c.value for row in sheet[table.ref] for c in row][:len(table.tableColumns)]
first = [c for c in sheet[table.ref][1]]
print(json.dumps([[c.name for c in table.tableColumns], header, first[-3].value, first[-2].value, str(first[-1].value), first[-1].number_format, first[-1].border.left.style == first[-4].border.left.style]))`;
      const [columns, header, note, score, due, format, sameBorder] = JSON.parse(
        execFileSync(PYTHON, ["-c", script, filledName(file)], { encoding: "utf8" }),
      ) as unknown[];
      expect(columns).toEqual(header);
      expect((columns as string[]).slice(-3)).toEqual(["AI note", "AI score", "AI due"]);
      expect([note, score, due, format, sameBorder]).toEqual([
        `${GIVEN["AI note"].replace("_x0041_", "_x005F_x0041_")} K00001`,
        0,
        "2026-03-04 00:00:00",
        "yyyy-mm-dd",
        true,
      ]); // openpyxl leaves escapes as they are
    }
    if (SOFFICE) {
      execFileSync(
        SOFFICE,
        [
          "--headless",
          `-env:UserInstallation=file://${folder}/profile`,
          "--convert-to",
          "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,1",
          "--outdir",
          folder,
          filledName(file),
        ],
        { stdio: "ignore", timeout: 450_000 },
      );
      const csv = readdirSync(folder).find((one) => one.endsWith(".csv"))!;
      expect(readFileSync(path.join(folder, csv), "utf8")).toMatch(/K00001,.*=1\+1 é & <b> _x0041_ \t日本 K00001,0,2026-03-04/);
    }
  }, 600_000);

  it("takes a second sheet that tells how cells stand, in other programs, too", async () => {
    const folder = mkdtempSync(path.join(root, "book-"));
    const file = path.join(folder, name);
    copyFileSync(path.join(FIXTURES, name), file);
    const table = xlsxTable({ file, name, key: "Key", showsStates: true });
    const statesOf: StatesOf = async (keys) =>
      keys.map((key) => ({
        "AI note": { state: key === "K00002" ? "skipped" : "filled", why: key === "K00002" ? "no <note> & none" : undefined },
      }));
    await table.write(NEW.slice(0, 1), async (keys) => keys.map(() => ({ "AI note": "x" })), { statesOf });
    const [before, after] = [partsOf(file), partsOf(filledName(file))];
    const changed = Object.keys(before).filter((part) => !after[part] || Buffer.compare(before[part]!, after[part]!) !== 0);
    expect(changed.sort()).toEqual(
      [
        "[Content_Types].xml",
        "xl/_rels/workbook.xml.rels",
        "xl/tables/table1.xml",
        "xl/workbook.xml",
        "xl/worksheets/sheet1.xml",
        ...(changed.includes("xl/styles.xml") ? ["xl/styles.xml"] : []),
      ].sort(),
    );
    expect(Object.keys(after).filter((part) => !before[part])).toEqual(["xl/worksheets/cellStates.xml"]);
    const states = await rowsOfSheet(filledName(file), "Cell states");
    expect(states).toHaveLength(100);
    expect(states.slice(0, 2)).toEqual([
      { Key: "K00001", mark: "", "AI note": "filled", why: "" },
      { Key: "K00002", mark: "–", "AI note": "skipped", why: "no <note> & none" },
    ]);
    if (PYTHON) {
      const script = `
import openpyxl, json, sys, warnings
warnings.filterwarnings("ignore")
book = openpyxl.load_workbook(sys.argv[1], keep_vba=sys.argv[1].endswith("m"))
sheet = book["Cell states"]
print(json.dumps([book.sheetnames[-1], sheet.max_row, [c.value for c in sheet[3]], sheet.freeze_panes, sheet.auto_filter.ref]))`;
      expect(JSON.parse(execFileSync(PYTHON, ["-c", script, filledName(file)], { encoding: "utf8" }))).toEqual([
        "Cell states",
        101,
        ["K00002", "–", "skipped", "no <note> & none"],
        "A2",
        "A1:D101",
      ]);
    }
    if (SOFFICE) {
      execFileSync(
        SOFFICE,
        [
          "--headless",
          `-env:UserInstallation=file://${folder}/profile`,
          "--convert-to",
          "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,-1",
          "--outdir",
          folder,
          filledName(file),
        ],
        { stdio: "ignore", timeout: 450_000 },
      );
      const csv = readdirSync(folder).find((one) => one.includes("Cell states") && one.endsWith(".csv"))!;
      expect(readFileSync(path.join(folder, csv), "utf8")).toContain("K00002,–,skipped,no <note> & none");
    }
  }, 600_000);
});

async function rowsOfSheet(file: string, sheet: string): Promise<Record<string, string>[]> {
  const rows: Record<string, string>[] = [];
  for await (const some of xlsxRows(file, "t.xlsx", { sheet }).rows()) rows.push(...some);
  return rows;
}

it("the sheet of cell states is written anew in place, and a person's own sheet of that name is left alone", async () => {
  const one = open(
    workbook([
      ["id", "text"],
      ["a", "1"],
      ["b", "2"],
    ]),
    { inPlace: true, showsStates: true },
  );
  const statesOf =
    (state: string): StatesOf =>
    async (keys) =>
      keys.map(() => ({ note: { state } }));
  const columns = [{ name: "note", freeText: true }];
  await one.table.write(columns, gives({ a: { note: "n" } }), { statesOf: statesOf("filled") });
  await one.table.write(columns, gives({ a: { note: "m" } }), { statesOf: statesOf("edited") });
  expect(Object.keys(partsOf(one.file)).filter((part) => part.includes("cellStates"))).toEqual(["xl/worksheets/cellStates.xml"]);
  expect((await rowsOfSheet(one.file, "Cell states")).map((row) => row["note"])).toEqual(["edited", "edited"]);
  expect((await readAll(one.table)).map((row) => row.values["note"])).toEqual(["m", ""]);
  const own = open(
    workbook(
      [
        ["id", "text"],
        ["a", "1"],
      ],
      { name: "Cell states" },
    ),
    { showsStates: true },
  );
  await expect(own.table.write(columns, gives({}), { statesOf: statesOf("filled") })).rejects.toThrow(
    "a sheet of that name is there already",
  );
});

describe("a sheet", () => {
  const cell = (reference: string, inner: string, attributes = ""): string => `<c r="${reference}"${attributes}>${inner}</c>`;
  const text = (reference: string, value: string): string =>
    `<c r="${reference}" t="inlineStr"><is><t xml:space="preserve">${value}</t></is></c>`;

  it("is read as people see it: leading zeros, dates of both systems, percentages, readings, errors, escapes, cells without places", async () => {
    const strings =
      '<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><si><t>007</t></si><si><r><t>rich </t></r><r><t>text</t></r><rPh sb="0" eb="1"><t>reading</t></rPh></si><si/><si><t>a_x000D_b _x005F_x0041_ &#8364;</t></si></sst>';
    const styles =
      '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><numFmts count="1"><numFmt numFmtId="164" formatCode="[Red]yyyy&quot;d&quot;-mm"/></numFmts><cellXfs count="4"><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="164"/><xf numFmtId="9"/></cellXfs></styleSheet>';
    const extra = {
      "xl/sharedStrings.xml": strings,
      "xl/styles.xml": styles,
      "xl/_rels/workbook.xml.rels":
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="x/worksheet" Target="/xl/worksheets/sheet1.xml"/><Relationship Id="r2" Type="x/sharedStrings" Target="sharedStrings.xml"/><Relationship Id="r3" Type="x/styles" Target="styles.xml"/></Relationships>',
    };
    const rows = [
      `<row r="3" spans="1:9">${["id", "a", "b", "c", "d", "e", "f", "g"].map((name, index) => text(`${"ABCDEFGH"[index]}3`, name)).join("")}</row>`,
      // Comments, CDATA, a `>` in a value, cells without references, single quotes.
      `<row r='4' customFormat="a>b">${text("A4", "k1")}<c t="s"><v>0</v></c><!-- <c> --><c t="s"><v>1</v></c><c t="s"><v>2</v></c><c t="s"><v>3</v></c>${cell("F4", "<v>45000</v>", ' s="1"')}${cell("G4", "<v>45000.5</v>", ' s="2"')}${cell("H4", "<v>0.25</v>", ' s="3"')}</row>`,
      `<row r="5">${text("A5", "k2")}${cell("B5", "<v>1.1000000000000001</v>")}${cell("C5", "<v>1E+20</v>")}${cell("D5", "<v>1</v>", ' t="b"')}${cell("E5", "<v>#N/A</v>", ' t="e"')}${cell("F5", "<v>59</v>", ' s="1"')}${cell("G5", "<v>0.75</v>", ' s="2"')}<c r="H5" t="str"><f>A1</f><v>made</v></c></row>`,
      `<row r="6"/><row r="7">${text("A7", "k3")}<c r="B7"><f>B4*2</f><v></v></c><c r="C7" t="inlineStr"><is><t><![CDATA[<raw>]]></t></is></c><c r="D7" s="1"/></row>`,
    ].join("\r\n");
    const one = open(workbook(sheetPart(rows, '<dimension ref="A3:H7"/>'), { extra }));
    const [k1, k2, k3] = await readAll(one.table);
    expect(k1!.values).toEqual({
      id: "k1",
      a: "007",
      b: "rich text",
      c: "",
      d: "a\rb _x0041_ €",
      e: "2023-03-15",
      f: "2023-03-15T12:00",
      g: "0.25",
    });
    expect(k2!.values).toEqual({
      id: "k2",
      a: "1.1",
      b: "100000000000000000000",
      c: "true",
      d: "#N/A",
      e: "1900-02-28",
      f: "18:00",
      g: "made",
    });
    expect(k3!.values).toEqual({ id: "k3", a: "", b: "<raw>", c: "", d: "", e: "", f: "", g: "" });
    expect([k1!.place, k3!.place]).toEqual(["row 4", "row 7"]);
    expect(one.notices).toEqual([
      "t.xlsx: 1 formula in `a` has no calculated value and counts as blank. Open the workbook in a spreadsheet program and save it.",
    ]);
    const mac = open(workbook(sheetPart(rows, ""), { extra, workbookParts: '<workbookPr date1904="1"/>' }));
    expect((await readAll(mac.table))[0]!.values["e"]).toBe("2027-03-16");
  });

  it("keeps every character that is not of a written cell, prefixes and all", async () => {
    const sheet = `<?xml version="1.0"?>\r\n<x:worksheet xmlns:x="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><x:dimension ref="A1:B3"/><x:sheetData><x:row r="1" spans="1:2"><x:c r="A1" t="inlineStr"><x:is><x:t>id</x:t></x:is></x:c><x:c r="B1" t="inlineStr"><x:is><x:t>level</x:t></x:is></x:c></x:row><!-- between --><x:row r="2" spans="1:2"  ht="20"><x:c r="A2" t="inlineStr"><x:is><x:t>a</x:t></x:is></x:c><x:c r="B2"  s="0" ><x:v>3.10</x:v></x:c></x:row><x:row r="3"><x:c r="A3" t="inlineStr"><x:is><x:t>b</x:t></x:is></x:c><x:c r="B3"><x:v>4</x:v></x:c><x:extLst><x:ext uri="u"/></x:extLst></x:row></x:sheetData><x:autoFilter ref="A1:B3"/></x:worksheet>`;
    const one = open(workbook(sheet));
    await one.table.write(
      [
        { name: "level", freeText: false, type: "number" },
        { name: "note", freeText: true, type: "text" },
      ],
      gives({ a: { level: 3.1, note: " two\nlines " }, b: { level: 5 } }),
    );
    const now = strFromU8(partsOf(filledName(one.file))["xl/worksheets/sheet1.xml"]!);
    expect(now).toBe(
      sheet
        .replace(
          'ref="A1:B3"/><x:sheetData>',
          'ref="A1:C3"/><x:cols><x:col min="3" max="3" width="48" customWidth="1"/></x:cols><x:sheetData>',
        )
        .replace('<x:row r="1" spans="1:2">', '<x:row r="1" spans="1:3">')
        .replace("level</x:t></x:is></x:c>", 'level</x:t></x:is></x:c><x:c r="C1" t="inlineStr"><x:is><x:t>note</x:t></x:is></x:c>')
        .replace('spans="1:2"  ht', 'spans="1:3"  ht')
        .replace(
          "<x:v>3.10</x:v></x:c>",
          '<x:v>3.10</x:v></x:c><x:c r="C2" t="inlineStr"><x:is><x:t xml:space="preserve"> two\nlines </x:t></x:is></x:c>',
        )
        .replace("<x:v>4</x:v>", "<x:v>5</x:v>"),
    );
  });

  it("puts new columns where nothing stands, and replaces a formula with its calculation order", async () => {
    const rows = `<row r="1">${text("A1", "id")}${text("B1", "level")}</row><row r="2">${text("A2", "a")}<c r="B2"><f>1+1</f><v>2</v></c>${text("C2", "side note")}</row><row r="3">${text("A3", "b")}<c r="B3"><v>1</v></c></row>`;
    const links =
      '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="x/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r9" Type="x/calcChain" Target="calcChain.xml"/></Relationships>';
    const one = open(
      workbook(sheetPart(rows), {
        extra: { "xl/_rels/workbook.xml.rels": links, "xl/calcChain.xml": '<calcChain><c r="B2"/></calcChain>' },
      }),
    );
    await one.table.write(
      [
        { name: "level", freeText: false, type: "integer" },
        { name: "note", freeText: true },
      ],
      gives({ a: { level: 5, note: "n" } }),
    );
    const parts = partsOf(filledName(one.file));
    expect(strFromU8(parts["xl/worksheets/sheet1.xml"]!)).toContain(
      '<c r="B2"><v>5</v></c><c r="C2" t="inlineStr"><is><t xml:space="preserve">side note</t></is></c><c r="D2" t="inlineStr"><is><t>n</t></is></c>',
    );
    expect(parts["xl/calcChain.xml"]).toBeUndefined();
    expect(strFromU8(parts["xl/_rels/workbook.xml.rels"]!)).not.toContain("calcChain");
    expect(strFromU8(parts["xl/workbook.xml"]!)).toContain('<calcPr fullCalcOnLoad="1"/>');
    expect((await readAll(xlsxTable({ file: filledName(one.file), key: "id" })))[0]!.values).toEqual({ id: "a", level: "5", note: "n" });
  });

  it("writes numbers, days and a person's own values so that they are read back as they were given", async () => {
    const one = open(
      workbook([
        ["id", "x"],
        ["a", "1"],
        ["b", "2"],
        ["c", "3"],
        ["d", "4"],
      ]),
    );
    const columns: TargetColumn[] = [
      { name: "n", freeText: false, type: "number" },
      { name: "day", freeText: false, type: "date" },
      { name: "at", freeText: false, type: "dateTime" },
      { name: "words", freeText: true, type: "text" },
    ];
    const given: Record<string, Record<string, CellOut>> = {
      a: { n: -0.1, day: "2026-12-31", at: "2026-03-04T08:15", words: "007" },
      b: { n: { asIs: "12" }, day: "1899-05-01", at: { asIs: "about noon" }, words: "\u0001 \ud800 \r\n _x000D_" },
      c: { n: { asIs: "twelve" }, day: "", words: "x".repeat(40_000) },
    };
    await one.table.write(columns, gives(given));
    const rows = await readAll(xlsxTable({ file: filledName(one.file), key: "id" }));
    for (const row of rows.slice(0, 3)) {
      for (const [name, value] of Object.entries(given[row.key]!)) {
        const expected = one.table.asWritten(
          columns.find((column) => column.name === name)!,
          typeof value === "object" ? value.asIs : value,
        );
        expect([row.key, name, row.values[name]]).toEqual([row.key, name, expected]);
      }
    }
    expect(rows[1]!.values).toMatchObject({ n: "12", day: "1899-05-01", at: "about noon", words: "\u0001 \ud800 \r\n _x000D_" });
    expect(rows[2]!.values["words"]).toHaveLength(32_767);
    expect(strFromU8(partsOf(filledName(one.file))["xl/worksheets/sheet1.xml"]!)).toContain('<c r="C3"><v>12</v></c>');
  });

  it("chooses sheets, defined tables and header rows, and names what it cannot find", async () => {
    const book = path.join(FIXTURES, "xw_full.xlsx");
    expect(await xlsxRows(book, "b.xlsx", { sheet: "plain" }).columns()).toContain("first");
    expect(await xlsxRows(book, "b.xlsx", { table: "accounts" }).columns()).toContain("Interest");
    await expect(xlsxRows(book, "b.xlsx", { sheet: "Dtaa" }).columns()).rejects.toThrow(
      "There is no sheet in b.xlsx `Dtaa`. Did you mean `Data`?",
    );
    await expect(xlsxRows(book, "b.xlsx", { table: "nothing" }).columns()).rejects.toThrow(
      "There is no defined table in b.xlsx `nothing`. There are: Accounts.",
    );
    const rows = [["Report of the week"], [], ["id", "note"], ["a", "x"]];
    expect((await readAll(open(workbook(rows), { headerRow: 3 }).table)).map((row) => row.key)).toEqual(["a"]);
    await expect(readAll(open(workbook(rows)).table)).rejects.toThrow(
      "t.xlsx (Log), row 1: there is no column `id` for the key. Columns: Report of the week.",
    );
    await expect(
      readAll(
        open(
          workbook([
            ["id", "note", "note"],
            ["a", "1", "2"],
          ]),
        ).table,
      ),
    ).rejects.toThrow("two columns are named `note`. Give each its own name.");
    await expect(readAll(open(workbook([])).table)).rejects.toThrow("the sheet has no row with the columns' names.");
    expect((await readAll(open(workbook([["id"], ["a"], [""], ["a"], ["b"]])).table)).map((row) => [row.key, row.problem])).toEqual([
      ["a", undefined],
      ["a (row 4)", "the key stands in row 2, too"],
      ["b", undefined],
    ]);
    const wide = Array.from({ length: 2_000 }, (_, index) => `c${index}`);
    expect(
      await open(
        workbook([
          ["id", ...wide],
          ["a", ...wide],
        ]),
      ).table.columns(),
    ).toHaveLength(2_001);
  });

  it("refuses in clear words what it must not touch", async () => {
    const shared = sheetPart(
      `<row r="1">${text("A1", "id")}${text("B1", "level")}</row><row r="2">${text("A2", "a")}<c r="B2"><f t="shared" ref="B2:B3" si="0">1+1</f><v>2</v></c></row>`,
    );
    await expect(open(workbook(shared)).table.write([{ name: "level", freeText: false }], gives({ a: { level: 1 } }))).rejects.toThrow(
      "t.xlsx (Log), cell B2: a formula that several cells share stands in `level`, which the plan fills.",
    );
    await expect(readAll(open(Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 1, 2, 3])).table)).rejects.toThrow(
      "t.xlsx cannot be read: it is encrypted, or a workbook of the old .xls form.",
    );
    await expect(readAll(open(Buffer.from("id,note\na,x\n")).table)).rejects.toThrow(
      "t.xlsx cannot be read: it is not a workbook, or it is damaged.",
    );
    const whole = workbook([["id"], ["a"]]);
    await expect(readAll(open(whole.subarray(0, whole.length - 40)).table)).rejects.toThrow("it is not a workbook, or it is damaged");
    await expect(readAll(open(workbook("<worksheet><sheetData><row></sheetData></worksheet>")).table)).rejects.toThrow(
      "its part xl/worksheets/sheet1.xml is damaged",
    );
    await expect(readAll(open(workbook('<!DOCTYPE x [<!ENTITY e "boom">]><worksheet/>')).table)).rejects.toThrow("is damaged");
    const guarded = open(
      workbook(sheetPart(`<row r="1">${text("A1", "id")}</row><row r="2">${text("A2", "a")}</row>`, "", '<sheetProtection sheet="1"/>')),
    );
    await guarded.table.write([{ name: "note", freeText: true }], gives({ a: { note: "x" } }));
    expect(guarded.notices).toEqual([
      "t.filled.xlsx: the sheet Log is protected and stays so; filled cells are locked for people as its others are.",
    ]);
  });
});

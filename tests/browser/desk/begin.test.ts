import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import BetterSqlite from "better-sqlite3";
import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders, tempFolder } from "../../helpers/cli.js";
import { closeDesks, openDesk, rowsInSight } from "../../helpers/desk.js";
import { python, PYTHON } from "../../helpers/other-programs.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** A workbook as an office would send it: a sheet of words first, a title above the names, blanks, a formula, mark-up in a cell. */
const LETTERS = `
import sys, datetime, openpyxl
book = openpyxl.Workbook()
book.active.title = "Read me"
book.active["A1"] = "Letters to the library, sent every month"
sheet = book.create_sheet("Letters 2026")
sheet["A1"] = "Hollow Oak Library: letters and notes"
sheet["A2"] = "printed 4 November"
sheet.append([])
sheet.append(["Letter no", "Came in", "Branch", "What they wrote", "Postage", "Twice"])
texts = ["The lift at the East branch is broken again.", "When do you open on bank holidays?", "Please could you order more large print novels.",
  "Thank you so much, the children's hour is wonderful!", "<img src=x onerror=document.title='taken'> the heating is off", None, "Is the printer free for members?  "]
for i in range(21):
    sheet.append([f"L-{i+1:03d}", datetime.date(2026, 9, 1) + datetime.timedelta(days=i), ["East", "Mill Lane", "Central"][i % 3], texts[i % 7], 1.35, f"=E{i+5}*2"])
book.save(sys.argv[1])
`;

const drop = async (page: Page, file: string): Promise<void> => {
  await page.locator("input[type=file]").setInputFiles(file);
};

describe("beginning at the desk", () => {
  it.skipIf(!PYTHON)("leads from a dropped messy workbook to the downloaded result, in a folder that has nothing yet", async () => {
    const folder = tempFolder();
    const sent = path.join(tempFolder(), "letters.xlsx");
    python(LETTERS, sent);
    const { page, faults, said } = await openDesk(browser, folder, { orNew: true });
    await page.getByRole("heading", { name: "Nothing is here yet." }).waitFor();
    await page.getByRole("main").getByRole("link", { name: "Begin with a table" }).click();
    await drop(page, sent);
    // The right sheet and its header are found, below a title, and the first rows are shown beside the questions.
    await page.getByText("sheet Letters 2026, names in row 4").waitFor();
    expect(await page.locator(".first-rows td").nth(3).innerText()).toBe("The lift at the East branch is broken again.");
    expect(await page.getByRole("checkbox", { name: "What they wrote" }).isChecked()).toBe(true);
    await expect.poll(() => page.getByLabel(/Which column names a row/).inputValue()).toBe("Letter no");
    expect(existsSync(path.join(folder, "yoroshi.yaml"))).toBe(false);
    await page.getByRole("button", { name: "Make it, and fill the first three rows" }).click();
    await page.getByRole("heading", { name: "letters is made." }).waitFor();
    await expect.poll(() => page.locator(".made article").count()).toBe(3);
    expect(await page.locator(".made article").nth(1).innerText()).toContain("question");
    expect(readFileSync(path.join(folder, "plans", "letters.yaml"), "utf8")).toContain("sheet: Letters 2026");

    await page.getByRole("link", { name: "To the whole table" }).click();
    await page.waitForSelector(".deck-row");
    await page.getByRole("button", { name: /^Fill F/ }).click();
    await page.getByText("rows to ask").waitFor();
    await page.getByRole("button", { name: /^Ask about \d+ rows/ }).click();
    await expect.poll(async () => (await page.locator(".key .filled .n").innerText()).trim()).toBe("18");
    await expect.poll(async () => (await rowsInSight(page))[0]?.at(-1)).toBe("problem");
    // Mark-up in a cell is text.
    expect(await page.title()).not.toBe("taken");
    expect((await rowsInSight(page))[4]![3]).toContain("<img src=x onerror=");

    // One value is changed by hand, and that is said.
    await page.locator("#c-1-6").click();
    await page.keyboard.press("c");
    await page.locator(".cell-form select").selectOption("request");
    await page.getByLabel(/because/).fill("they want a reply");
    await page.keyboard.press("Enter");
    await expect.poll(said).toBe("topic of L-002 is request now.");
    await expect.poll(async () => (await page.locator(".key .edited .n").innerText()).trim()).toBe("1");

    // The table follows some moments later; then it is taken away.
    const result = path.join(folder, "letters.filled.xlsx");
    await expect.poll(() => existsSync(result)).toBe(true);
    await page.waitForTimeout(3_500);
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByLabel("Take the table away").selectOption("result")]);
    expect(download.suggestedFilename()).toBe("letters.filled.xlsx");
    const kept = path.join(tempFolder(), "taken.xlsx");
    await download.saveAs(kept);
    const read = JSON.parse(
      python(
        `
import json, sys, openpyxl
book = openpyxl.load_workbook(sys.argv[1])
sheet = book["Letters 2026"]
names = [c.value for c in sheet[4]]
print(json.dumps({"sheets": book.sheetnames, "title": sheet["A1"].value, "names": names, "formula": sheet["F5"].value,
  "topics": [sheet.cell(row=r, column=names.index("topic") + 1).value for r in range(5, 26)]}))`,
        kept,
      ),
    ) as { sheets: string[]; title: string; names: string[]; formula: string; topics: (string | null)[] };
    expect(read).toMatchObject({ sheets: ["Read me", "Letters 2026"], title: "Hollow Oak Library: letters and notes", formula: "=E5*2" });
    expect(read.topics.slice(0, 4)).toEqual(["problem", "request", "request", "praise"]);
    expect(read.topics.filter((topic) => topic === null)).toHaveLength(3);
    expect(faults).toEqual([]);
  });

  it("asks what is to become of a file that is there already, and points a plan that stands at the next one", async () => {
    const folder = demoProject();
    const { page, said, go } = await openDesk(browser, folder);
    await go("begin");
    const again = path.join(tempFolder(), "deck-log.csv");
    const before = readFileSync(path.join(folder, "deck-log.csv"), "utf8");
    writeFileSync(again, before.replace("reportId,", "report no,"));
    await drop(page, again);
    await page.getByRole("button", { name: "Keep both, as deck-log-2.csv" }).click();
    await page.getByText("It is the next file of a plan that stands").click();
    await page.getByLabel("Which plan?").selectOption("triage");
    // The key has another name now, which nobody but a person can tell.
    const missing = page.locator(".next-file li", { hasText: "is not there" });
    expect(await missing.innerText()).toContain("reportId is not there");
    expect(await page.getByRole("button", { name: "Go on with deck-log-2.csv" }).isDisabled()).toBe(true);
    await missing.locator("select").selectOption("report no");
    await page.getByRole("button", { name: "Go on with deck-log-2.csv" }).click();
    await page.waitForURL(/\/desk\/table\/triage/);
    expect(readFileSync(path.join(folder, "plans", "triage.yaml"), "utf8")).toContain("deck-log-2.csv");
    expect(await said()).toBe("triage is at deck-log-2.csv now.");
    expect(readFileSync(path.join(folder, "deck-log.csv"), "utf8")).toBe(before);
  });

  it("makes a plan over a database's table, and numbers the rows of a file that has no key", async () => {
    const folder = demoProject();
    const database = new BetterSqlite(path.join(folder, "harbour.db"));
    database.exec(
      "CREATE TABLE calls (id INTEGER PRIMARY KEY, said TEXT); INSERT INTO calls (said) VALUES ('Smoke from the dryer'), ('Oil on deck');",
    );
    database.close();
    writeFileSync(
      path.join(folder, "yoroshi.yaml"),
      `${readFileSync(path.join(folder, "yoroshi.yaml"), "utf8")}databases:\n  harbour: { file: harbour.db }\n  gone: { url: { env: NO_SUCH_PLACE } }\n`,
    );
    writeFileSync(path.join(folder, "notes.csv"), "note\nsmoke in the galley\nsmoke in the galley\noil on deck\n");
    const { page, go, faults } = await openDesk(browser, folder);
    await go("begin");
    // A database that cannot be asked says so at its place, and the rest works.
    await page.getByText("NO_SUCH_PLACE").waitFor();
    await page.getByRole("button", { name: "calls", exact: true }).click();
    await page.getByLabel("yes or no").check();
    await page.getByRole("button", { name: /^Make it/ }).click();
    await page.getByRole("heading", { name: "calls is made." }).waitFor();
    expect(readFileSync(path.join(folder, "plans", "calls.yaml"), "utf8")).toMatch(/database: harbour\n\s+table: calls/);

    await go("begin?file=notes.csv");
    await page.getByText("No column names each of the 3 rows").waitFor();
    await page.getByRole("button", { name: /^Make it/ }).click();
    await page.getByRole("heading", { name: "notes-numbered is made." }).waitFor();
    expect(readFileSync(path.join(folder, "notes.numbered.csv"), "utf8")).toContain("rowId,note");
    expect(readFileSync(path.join(folder, "notes.csv"), "utf8")).toBe("note\nsmoke in the galley\nsmoke in the galley\noil on deck\n");
    expect(faults).toEqual([]);
  });

  it("says what is wrong with a file that is too large, is none, or has nothing in it", async () => {
    const folder = tempFolder();
    const given = tempFolder();
    mkdirSync(given, { recursive: true });
    const put = (name: string, text: string): string => {
      writeFileSync(path.join(given, name), text);
      return path.join(given, name);
    };
    const { page, go } = await openDesk(browser, folder, { orNew: true, mostUploadBytes: 100_000 });
    await go("begin");
    await drop(page, put("large.csv", `id,note\n${"1,a long note about nothing at all\n".repeat(5_000)}`));
    await expect.poll(() => page.locator(".drop .problem").innerText()).toMatch(/larger than|100,000|0\.1 MB/);
    await drop(page, put("broken.xlsx", "this is no workbook"));
    await expect.poll(() => page.locator(".drop .problem").innerText()).toMatch(/broken\.xlsx|workbook/);
    await drop(page, put("empty.csv", "id,note\n"));
    await expect.poll(() => page.locator(".drop .problem").innerText()).toContain("stands no row");
    expect(existsSync(path.join(folder, "large.csv"))).toBe(false);
    expect(existsSync(path.join(folder, "yoroshi.yaml"))).toBe(false);
  });
});

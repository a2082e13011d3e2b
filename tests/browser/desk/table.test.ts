import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { runJob, changeCell, fillPlan, openProject } from "../../../src/jobs/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders, run } from "../../helpers/cli.js";
import { closeDesks, openDesk, rowsInSight, type Desk } from "../../helpers/desk.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** The demo with its triage filled. */
async function filledDemo(): Promise<string> {
  const folder = demoProject();
  const project = await openProject({ cwd: folder });
  await runJob(fillPlan, project, { plan: "triage" });
  await project.close();
  return folder;
}

async function table(folder: string, search = "", options = {}): Promise<Desk> {
  const desk = await openDesk(browser, folder, options);
  await desk.go(`table/triage${search}`);
  await desk.page.waitForSelector(".deck-row .cell");
  return desk;
}

const column = async (page: Page, name: string): Promise<string[]> => {
  const heads = await page.locator(".column-head .name").allInnerTexts();
  return (await rowsInSight(page)).map((cells) => cells[heads.indexOf(name)]!.replace(/^[?~^×–]/, ""));
};
const inHand = (page: Page): Promise<string | null> => page.locator("#table-grid").getAttribute("aria-activedescendant");
const count = async (page: Page, state: string): Promise<string> => (await page.locator(`.key .${state} .n`).innerText()).trim();

describe("the table", () => {
  it("is walked, sorted, narrowed and left by keys alone, and the focus is never lost", async () => {
    const { page, faults } = await table(await filledDemo());
    await page.focus("#table-grid");
    await page.keyboard.press("ArrowDown");
    expect(await inHand(page)).toBe("c-0-0");
    // The row in hand lies open: its text whole, its note beside it.
    await expect.poll(() => page.locator(".open-note").innerText()).toContain("hazard-triage version 1");
    for (const key of ["ArrowRight", "ArrowRight", "ArrowDown", "End"]) await page.keyboard.press(key);
    expect(await inHand(page)).toBe("c-1-7");
    await page.keyboard.press("Control+End");
    await expect.poll(() => inHand(page)).toBe("c-247-7");
    await expect.poll(async () => (await rowsInSight(page)).length).toBeGreaterThan(10);
    // Far away from it, the row in hand is still there, so that a key finds it.
    await page.locator("#table-grid").evaluate((grid) => grid.scrollTo(0, 0));
    await expect.poll(() => page.locator("#c-0-0").count()).toBe(1);
    expect(await page.locator("#c-247-7").count()).toBe(1);
    await page.keyboard.press("Control+Home");
    // Up into the head: the column's panel sorts and narrows, and gives the focus back.
    await page.keyboard.press("ArrowUp");
    for (let n = 0; n < 6; n++) await page.keyboard.press("ArrowRight");
    expect(await inHand(page)).toBe("h-6");
    await page.keyboard.press("Enter");
    await page.getByRole("heading", { name: /^severity/ }).waitFor();
    await page.keyboard.press("Tab");
    await page.keyboard.press("Tab");
    await page.keyboard.press("Tab");
    await page.keyboard.press("Enter");
    await expect.poll(() => column(page, "severity").then((values) => values.slice(0, 3))).toEqual(["5", "5", "5"]);
    await page.getByRole("checkbox", { name: /^4/ }).focus();
    await page.keyboard.press("Space");
    await expect.poll(() => column(page, "severity").then((values) => [...new Set(values)])).toEqual(["4"]);
    await page.keyboard.press("Escape");
    expect(await page.evaluate(() => document.activeElement?.id)).toBe("table-grid");
    expect(page.url()).toContain("sort");
    const [found] = (await page.locator(".filters b").innerText()).split(" ");
    // All of it stands in the address: somebody else sees the same, and so does who comes back.
    await page.keyboard.press("ArrowDown");
    await expect.poll(() => page.url()).toContain("row=");
    await page.reload();
    await page.waitForSelector(".deck-row .cell");
    expect((await page.locator(".filters b").innerText()).split(" ")[0]).toBe(found);
    await expect.poll(() => inHand(page)).toBe("c-0-6");
    await page.keyboard.press("/");
    expect(await page.evaluate(() => document.activeElement?.id)).toBe("find");
    expect(faults).toEqual([]);
  });

  it("is searched by words, by CEL, by a chart, and a mistake in CEL is told", async () => {
    const { page, faults } = await table(await filledDemo());
    await page.getByLabel("Find rows that have these words").fill("stern line");
    await expect.poll(() => page.locator(".filters b").innerText()).toMatch(/^[1-9]\d? of 248 rows/);
    for (const text of await column(page, "report")) expect(text.toLowerCase()).toMatch(/stern.*line|line.*stern/);
    await page.getByRole("button", { name: "Take this away" }).click();
    await page.getByRole("button", { name: "Where", exact: true }).click();
    await page.getByLabel("only rows where").fill("row.severity >=");
    await page.keyboard.press("Enter");
    await page.getByText("cannot be read as CEL").waitFor();
    await page.getByRole("button", { name: "Where", exact: true }).click();
    await page.getByLabel("only rows where").fill('row.severity >= 5 && row.hazard == "fire"');
    await page.keyboard.press("Enter");
    await expect.poll(async () => [...new Set(await column(page, "hazard"))]).toEqual(["fire"]);
    await page.getByRole("button", { name: "Take this away" }).click();
    // A stem of the chart in a column's head.
    await page.locator(".column-head", { hasText: "hazard" }).first().locator(".stems g").first().click();
    await expect.poll(async () => new Set(await column(page, "hazard")).size).toBe(1);
    // How the column goes with another one, each share with its interval.
    await page.locator(".column-head .name", { hasText: /^severity$/ }).click();
    await page.getByLabel("by another column, or over time").selectOption("vessel");
    await expect.poll(() => page.locator(".cross tbody tr").count()).toBeGreaterThan(2);
    expect(await page.locator(".cross tbody tr").first().innerText()).toMatch(/\d\.\d\d \(\d\.\d\d to \d\.\d\d\)/);
    expect(faults).toEqual([]);
  });

  it("shows the columns that are wanted, where they are wanted", async () => {
    const { page } = await table(await filledDemo());
    await page.getByRole("button", { name: "Columns", exact: true }).click();
    await page.getByRole("checkbox", { name: "writtenBy" }).uncheck();
    await page.getByRole("button", { name: "Move hazard to the left" }).click();
    const list = page.locator(".columns-list li", { hasText: "severityWhy" });
    await list.getByRole("button", { name: "pin" }).click();
    const heads = (): Promise<string[]> => page.locator(".column-head .name").allInnerTexts();
    await expect.poll(heads).toEqual(["severityWhy", "reportId", "vessel", "loggedOn", "hazard", "report", "severity"]);
    expect(await page.locator(".column-head.pinned").count()).toBe(1);
    await page.reload();
    await page.waitForSelector(".deck-row .cell");
    expect(await heads()).toEqual(["severityWhy", "reportId", "vessel", "loggedOn", "hazard", "report", "severity"]);
  });

  it("takes a person's value, tells whose it is, undoes it, and gives the model's value back", async () => {
    const folder = await filledDemo();
    const { page, said, window } = await table(folder, "?row=R-012&col=severity");
    const other = await window("table/triage?row=R-012&col=severity");
    await page.focus("#table-grid");
    await page.keyboard.press("c");
    await page.locator(".cell-form select").selectOption("5");
    await page.getByLabel(/because/).fill("the chair was full of people");
    await page.keyboard.press("Enter");
    await expect.poll(said).toBe("severity of R-012 is 5 now.");
    await expect.poll(() => page.locator(".open-note").innerText()).toContain("Changed by Ines: “the chair was full of people”");
    // The other window hears of it.
    await expect.poll(() => other.locator(".open-note").innerText()).toContain("Changed by Ines");
    await expect.poll(() => count(other, "edited")).toBe("1");
    await page.keyboard.press("z");
    await expect.poll(() => count(page, "edited")).toBe("0");
    await expect.poll(() => column(page, "severity").then((values) => values[11])).toBe("2");
    // A value that is none of its kind is refused at its place, and the form stays.
    await other.focus("#table-grid");
    await other.locator("#c-11-7").click();
    await other.keyboard.press("c");
    await other.locator(".cell-form textarea").fill("x".repeat(400));
    await other.getByRole("button", { name: /^Keep/ }).click();
    await other.locator(".cell-form .problem").waitFor();
    expect(await other.locator(".cell-form textarea").inputValue()).toHaveLength(400);
  });

  it("asks again with a remark, and says how it stands while a fill goes on elsewhere", async () => {
    const folder = await filledDemo();
    const { page, said } = await table(folder, "?row=R-012&col=hazard");
    await page.focus("#table-grid");
    await expect.poll(() => page.locator(".open-note [data-key=Q]").count()).toBe(1);
    await page.keyboard.press("q");
    await page.getByLabel("What the model should know").fill("A forklift is machinery.");
    await page.getByRole("button", { name: /^Ask now/ }).click();
    await expect.poll(said).toContain("R-012 is asked again.");
    await expect.poll(() => page.locator(".open-note").innerText()).toMatch(/Ines: hazard to be asked again/);
    // Another process, that knows nothing of this server, changes a cell.
    const project = await openProject({ cwd: folder });
    await runJob(changeCell, project, { plan: "triage", key: "R-003", column: "severity", value: "1", by: "Tom" });
    await project.close();
    await expect.poll(() => count(page, "edited")).toBe("1");
    expect((await run(["status", "triage"], folder)).out).toContain("^ edited");
  });

  it("fills the rows that are chosen, with the cost before, and goes on when the page is closed", async () => {
    const folder = demoProject();
    const { page, window, served, faults } = await table(folder);
    await expect.poll(() => count(page, "blank")).toBe("242");
    for (const key of ["R-001", "R-002", "R-004"]) await page.getByRole("checkbox", { name: `Choose ${key}` }).check();
    await page.keyboard.press("f");
    await page.getByText("3 rows to ask").waitFor();
    expect(await page.locator(".fill-bar .cost").innerText()).toMatch(/about 0\.000\d USD, at most 0\.00\d\d USD/);
    await page.getByRole("button", { name: "Ask about 3 rows" }).click();
    await expect.poll(() => count(page, "filled")).toBe("3");
    // Now those that are shown.
    await page.goto(`${served.address}/desk/table/triage?filters=${encodeURIComponent('[{"column":"vessel","is":["MV Tern"]}]')}`);
    await page.getByText("vessel is MV Tern").waitFor();
    await page.getByRole("button", { name: /^Fill F/ }).click();
    await page.getByLabel(/that are shown/).check();
    await page.getByRole("button", { name: /^Ask about \d+ rows/ }).click();
    await page.close();
    const again = await window("table/triage");
    await expect.poll(async () => Number(await count(again, "filled"))).toBeGreaterThan(30);
    await expect.poll(async () => (await again.locator(".run").allInnerTexts()).join()).toContain("Filled");
    await served.close();
    const rows = parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true, bom: true }) as Record<
      string,
      string
    >[];
    const filled = rows.filter(({ hazard }) => hazard !== "");
    expect(filled.filter(({ vessel, reportId }) => vessel !== "MV Tern" && !["R-001", "R-002", "R-004"].includes(reportId!))).toEqual([]);
    expect(filled.length).toBeGreaterThan(30);
    expect(faults).toEqual([]);
  });

  it("leads from row to row that a person is told of, and shows one kind of them", async () => {
    const folder = await filledDemo();
    const { page } = await table(folder);
    await page.focus("#table-grid");
    await page.keyboard.press("j");
    await expect.poll(() => page.locator(".deck-row.here .cell").first().innerText()).toBe("R-077");
    expect(await page.locator(".open-note").innerText()).toContain("the crew wrote nothing");
    await page.keyboard.press("j");
    await expect.poll(() => page.locator(".deck-row.here .cell").first().innerText()).toBe("R-102");
    await page.keyboard.press("k");
    await expect.poll(() => page.locator(".deck-row.here .cell").first().innerText()).toBe("R-077");
    await page.locator(".key .skipped").click();
    await expect.poll(async () => (await rowsInSight(page)).length).toBe(6);
    // Single keys can be turned off, and do nothing then.
    await page.getByRole("button", { name: /single keys/ }).click();
    await page.focus("#table-grid");
    await page.keyboard.press("f");
    expect(await page.locator(".fill-bar").count()).toBe(0);
    // The table's own file changes on the disk.
    const file = path.join(folder, "deck-log.csv");
    writeFileSync(file, `${readFileSync(file, "utf8").trimEnd()}\nR-900,MV Tern,2026-12-01,purser,\n`);
    await expect.poll(async () => (await rowsInSight(page)).length).toBe(7);
  });
});

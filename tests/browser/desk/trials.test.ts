import { readFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import type { Browser } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openProject, runJob, trialTemplate } from "../../../src/jobs/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../../helpers/cli.js";
import { closeDesks, openDesk } from "../../helpers/desk.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** The demo with a trial of its template. */
async function triedDemo(): Promise<string> {
  const folder = demoProject();
  const project = await openProject({ cwd: folder });
  await runJob(trialTemplate, project, { template: "hazard-triage", resamples: 100 });
  await project.close();
  return folder;
}

const samplesOf = (folder: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, "samples", "hazard-triage.csv"), "utf8"), { columns: true, bom: true }) as Record<string, string>[];

describe("trials and samples", () => {
  it("holds contestants against each other, and says what may be concluded", async () => {
    const { page, said, faults } = await openDesk(browser, await triedDemo());
    await page.goto(`${new URL(page.url()).origin}/desk/trials/hazard-triage?plan=triage`);
    await expect.poll(() => page.locator(".contestants tbody tr").count()).toBe(1);
    expect(await page.locator(".contestants tbody tr").innerText()).toMatch(/\d\d\.\d % \(\d\d to \d\d\)/);
    // A column of the samples, an old rule's result, is a contestant as well.
    await page.getByLabel("or the samples' column").fill("ruleHazard");
    await page.getByRole("button", { name: "Hold against it" }).click();
    await expect.poll(() => page.locator(".against").innerText()).toMatch(/version 1 against column ruleHazard[\s\S]*95 % interval/);
    await expect.poll(() => page.locator(".verdict h2").first().innerText()).toMatch(/is better|cannot be told/);
    // A trial of another temperature, from the page.
    await page.getByPlaceholder("temperature=0.5, another template").fill("temperature=0.9");
    await page.getByRole("button", { name: "Run it" }).click();
    await expect.poll(said).toContain("goes on");
    await expect.poll(() => page.locator(".contestants tbody tr").count()).toBe(3);
    expect(faults).toEqual([]);
  });

  it("narrows the wrong rows by a cell of the confusions, by keys; a label is corrected, a row taken in as an example", async () => {
    const folder = await triedDemo();
    const { page, said, go, faults } = await openDesk(browser, folder);
    await go("trials/hazard-triage?plan=triage");
    await page.waitForSelector(".confusion");
    const all = Number(/(\d+) rows of/.exec(await page.locator(".wrong h2").innerText())![1]);
    // The first row that was answered otherwise, found by its cell.
    const at = await page
      .locator(".confusion td:not(.right) button:not(.none)")
      .first()
      .evaluate((button) => button.getAttribute("data-at")!.split("-").map(Number));
    await page.locator('.confusion [data-at="0-0"]').focus();
    for (let n = 0; n < at[0]!; n++) await page.keyboard.press("ArrowDown");
    for (let n = 0; n < at[1]!; n++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("Enter");
    await expect.poll(() => page.locator(".wrong li").count()).toBeLessThan(all);
    expect(await page.locator('.confusion [aria-pressed="true"]').count()).toBe(1);
    const row = page.locator(".wrong li").first();
    const id = await row.locator(".line small").innerText();
    const answered = await row.locator(".ink").innerText();
    const before = samplesOf(folder).find(({ reportId }) => reportId === id)!;
    await row.getByRole("button", { name: "correct the label" }).click();
    await row.locator("select").selectOption(answered);
    await row.getByRole("button", { name: /^Keep/ }).click();
    await expect.poll(said).toBe(`${id} is labelled ${answered} now; the next trial grades by it.`);
    expect(samplesOf(folder).find(({ reportId }) => reportId === id)!["hazard"]).toBe(answered);
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(() => samplesOf(folder).find(({ reportId }) => reportId === id)!["hazard"]).toBe(before["hazard"]);
    await row.getByRole("button", { name: /take it into the template/ }).click();
    await row.getByRole("button", { name: /^Take it in/ }).click();
    await expect.poll(said).toContain(`${id} is an example of hazard-triage now`);
    const file = path.join(folder, "templates", "hazard-triage.yaml");
    expect(readFileSync(file, "utf8")).toContain(before["report"]!.slice(0, 20));
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(() => readFileSync(file, "utf8")).not.toContain(before["report"]!.slice(0, 20));
    expect(faults).toEqual([]);
  });

  it("is labelled by keys alone, blind, each label saved at once and taken back by one key", async () => {
    const folder = await triedDemo();
    const { page, said, go, faults } = await openDesk(browser, folder);
    await go("samples/hazard-triage?plan=triage");
    await page.getByRole("button", { name: "Draw", exact: true }).click();
    await expect.poll(said).toMatch(/^40 rows are drawn into samples\/hazard-triage\.csv/);
    expect(samplesOf(folder)).toHaveLength(137);
    await page.reload();
    await page.waitForSelector(".label-row");
    await expect.poll(() => page.locator(".label-row > .fig").innerText()).toContain("98 of 137");
    const shown = await page.locator(".label-row").innerText();
    expect(shown).not.toContain("answered");
    await page.locator("h1").click();
    await page.keyboard.press("3");
    await expect.poll(said).toBe("Row 98: hazard is fire.");
    await page.keyboard.press("5");
    await expect.poll(said).toBe("Row 98: severity is 5.");
    // The next open row follows by itself.
    await expect.poll(() => page.locator(".label-row > .fig").innerText()).toContain("99 of 137");
    expect(samplesOf(folder)[97]).toMatchObject({ hazard: "fire", severity: "5" });
    await page.keyboard.press("z");
    await expect.poll(() => samplesOf(folder)[97]!["severity"]).toBe("");
    await page.keyboard.press("ArrowRight");
    // A digit chooses here; it leads along the way on other pages.
    expect(page.url()).toContain("/samples/");
    expect(faults).toEqual([]);
  });
});

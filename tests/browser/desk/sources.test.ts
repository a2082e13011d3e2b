import path from "node:path";
import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders, run } from "../../helpers/cli.js";
import { closeDesks, expectAccessible, openDesk } from "../../helpers/desk.js";

let browser: Browser;
let folder: string;
beforeAll(async () => {
  browser = await openBrowser();
  folder = demoProject();
  for (const plan of ["gauges", "inspections"]) expect((await run(["fill", plan], folder)).code).toBe(0);
}, 120_000);
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** Keeps a page's picture for the documentation. */
const picture = async (page: Page, name: string): Promise<void> => {
  if (process.env["YOROSHI_SCREENSHOTS"]) await page.screenshot({ path: path.join("docs/screenshots", `${name}.png`) });
};

describe("what a value rests on, at the desk", () => {
  it("is the picture beside what was read from it", async () => {
    const { page, go, faults } = await openDesk(browser, folder);
    await go("table/gauges");
    await page.locator(".deck-row").first().waitFor();
    await page.locator("#table-grid").focus();
    await page.keyboard.press("ArrowDown");
    const shown = page.getByRole("img", { name: /^photo of G-0\d, as it was sent$/ });
    await shown.waitFor();
    expect(await shown.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBeGreaterThan(400);
    await picture(page, "gauge");
    await expectAccessible(page, "a note with a picture");
    expect(faults).toEqual([]);
  });

  it("is the words that carry it, marked in their text; for one without words, what was shown, in the review", async () => {
    const { page, go, faults } = await openDesk(browser, folder);
    await go("table/inspections");
    await page.locator(".deck-row").first().waitFor();
    await page.locator("#table-grid").focus();
    await page.keyboard.press("ArrowDown");
    const mark = page.locator(".open-note .evidence mark").first();
    await mark.waitFor();
    expect(await mark.innerText()).toMatch(/^(The bow ramp hinge shows a crack of 4 cm|Fire doors on the car deck)/);
    expect(await page.locator(".open-note .evidence").first().innerText()).toMatch(/finding\s+sheet, page 1, characters \d+ to \d+/);
    await picture(page, "evidence");
    await expectAccessible(page, "a note with evidence");
    await go("review/inspections?key=S-105");
    await page.getByRole("img", { name: "sheet, page 1 of S-105, as it was sent" }).waitFor();
    await page.getByText("is blank").first().waitFor();
    await expectAccessible(page, "a review with a picture");
    // And in the report: how they were found, with some of them, each the way to its row.
    await go("report/inspections");
    await page.getByRole("heading", { name: "The words that carry the answers" }).waitFor();
    await page.getByRole("row", { name: "finding 5 4 0 1" }).waitFor();
    const words = page.locator(".report .evidence", { hasText: "The bow ramp hinge" });
    expect(await words.locator("mark").innerText()).toMatch(/^The bow ramp hinge shows a crack of 4 cm/);
    await expectAccessible(page, "a report with evidence");
    await words.getByRole("link", { name: "S-102" }).click();
    await page.waitForURL(/table\/inspections\?row=S-102/);
    expect(faults).toEqual([]);
  });
});

import { readFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders, run } from "../../helpers/cli.js";
import { closeDesks, expectAccessible, openDesk, rowsInSight } from "../../helpers/desk.js";

let browser: Browser;
let folder: string;
beforeAll(async () => {
  browser = await openBrowser();
  folder = demoProject();
  expect((await run(["fill", "urgent"], folder)).code).toBe(0);
}, 120_000);
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

const filled = (): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[];
const saved = async (page: Page, form: string): Promise<Buffer> => {
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.locator(".share-chart").first().getByRole("button", { name: form }).click(),
  ]);
  return readFileSync((await download.path())!);
};
/** Keeps a page's picture for the documentation. */
const picture = async (page: Page, name: string): Promise<void> => {
  if (process.env["YOROSHI_SCREENSHOTS"]) await page.screenshot({ path: path.join("docs/screenshots", `${name}.png`) });
};

describe("the report of a plan", () => {
  it("has the figures of its columns, each line with the way to its rows, and charts that can be taken away", async () => {
    const { page, go, faults, said } = await openDesk(browser, folder);
    await go("report/urgent");
    await page.getByRole("heading", { name: "hazardFound" }).waitFor();
    await picture(page, "desk-report");
    await expectAccessible(page, "a report");
    const count = filled().filter((row) => row["hazardFound"] === "mooring").length;
    const line = page.getByRole("link", { name: new RegExp(`^mooring.*\\(${count}\\)$`) });
    expect(await line.count()).toBe(1);
    // A picture of its own: an SVG without this desk's addresses, a PNG as large as it should be.
    const svg = (await saved(page, "SVG")).toString("utf8");
    expect(svg).toMatch(/^<svg[^>]*xmlns="http:\/\/www\.w3\.org\/2000\/svg"/);
    expect(svg).toContain("mooring");
    expect(svg).not.toMatch(/href|var\(--/);
    const png = await saved(page, "PNG");
    expect(png.subarray(1, 4).toString()).toBe("PNG");
    expect(png.readUInt32BE(16)).toBe(1280);
    await page.getByRole("button", { name: "Count from now on" }).click();
    await page.getByText("No column has moved beyond chance.").waitFor();
    expect(await said()).toMatch(/The next report tells what has moved since now/);
    await line.click();
    await page.waitForURL(/table\/urgent\?filters=/);
    await page.getByText(`${count} of 248`, { exact: false }).first().waitFor();
    await expect.poll(async () => (await rowsInSight(page)).length).toBeGreaterThan(5);
    expect(faults).toEqual([]);
  }, 60_000);

  it("tells what the last fill altered, of drift and of sealed samples, in the dark too", async () => {
    const { page, go, faults } = await openDesk(browser, folder, { isDark: true });
    await go("report/urgent");
    await page.getByText("Not enough days yet for a reference", { exact: false }).waitFor();
    await page.getByRole("heading", { name: "What the last fill altered" }).waitFor();
    // Not the charts' own words for those who do not see them, which may be there first.
    await page.getByText(/, \d+ cells$/).waitFor();
    await page.getByRole("heading", { name: "hazardFound" }).waitFor();
    await expectAccessible(page, "a report, dark");
    expect(faults).toEqual([]);
  }, 60_000);
});

describe("questions to a table", () => {
  it("are answered with how it was counted and the rows behind it, which the table shows", async () => {
    const { page, go, faults } = await openDesk(browser, folder);
    await go("ask/urgent");
    await page.getByLabel("A question in plain words").fill("How many of MV Tern's reports are grave?");
    await page.getByRole("button", { name: "Ask", exact: true }).click();
    const count = filled().filter((row) => row["vessel"] === "MV Tern" && Number(row["gravity"]) >= 4).length;
    await page.locator(".answer .figure", { hasText: String(count) }).waitFor();
    await picture(page, "ask");
    await expectAccessible(page, "an answer");
    await page.getByRole("link", { name: `All ${count} rows in the table` }).click();
    await page.waitForURL(/table\/urgent\?where=/);
    await page.getByText(`${count} of 248`, { exact: false }).first().waitFor();
    await page.goBack();
    // For each value of a column; a reading that is asked back; a question that is kept.
    const ask = async (question: string): Promise<void> => {
      await page.getByLabel("A question in plain words").fill(question);
      await page.getByRole("button", { name: "Ask", exact: true }).click();
    };
    await ask("How many reports are there for each vessel?");
    await page.getByRole("link", { name: /^MV Dipper/ }).waitFor();
    await expectAccessible(page, "figures of groups");
    await ask("What is the average gravity for each vessel?");
    const tern = filled().flatMap((row) => (row["vessel"] === "MV Tern" && row["gravity"] !== "" ? [Number(row["gravity"])] : []));
    const mean = (tern.reduce((sum, gravity) => sum + gravity, 0) / tern.length).toLocaleString("en", { maximumFractionDigits: 4 });
    await page.getByRole("row", { name: new RegExp(`^MV Tern ${mean} `) }).waitFor();
    await ask("How many reports of MV Kraken?");
    await page.getByText("Cannot be counted so.", { exact: false }).waitFor();
    expect(await page.getByRole("heading", { name: "Keep it" }).count()).toBe(0);
    await ask("How many reports are about mooring?");
    await page.getByRole("heading", { name: "Keep it" }).waitFor();
    await page.getByLabel("as a row of the plan").fill("asked-at-the-desk");
    await page.getByRole("button", { name: "Keep" }).click();
    await page.getByText("Kept as 1 in asked-at-the-desk.", { exact: true }).waitFor();
    expect(readFileSync(path.join(folder, "plans/asked-at-the-desk.yaml"), "utf8")).toMatch(/inquire: \{ of: "urgent", words: question \}/);
    expect(faults).toEqual([]);
  }, 60_000);

  it("are one step from the first page and from the table", async () => {
    const { page, go } = await openDesk(browser, folder);
    const line = page.getByRole("listitem").filter({ has: page.getByRole("link", { name: "urgent", exact: true }) });
    await line.getByRole("link", { name: "ask" }).click();
    await page.waitForURL(/ask\/urgent/);
    await go("table/urgent");
    await page.getByRole("link", { name: "Report", exact: true }).click();
    await page.waitForURL(/report\/urgent/);
  }, 60_000);
});

it("a plan's page tells its rules in words, and whom its steps ask", async () => {
  const { page, go, faults } = await openDesk(browser, folder);
  await go("plan/urgent");
  await page.getByRole("heading", { name: "Afterwards" }).waitFor();
  await page.getByText("keeps a row in urgent.csv as long as it holds").waitFor();
  expect(await page.locator(".rules li").allInnerTexts()).toHaveLength(3);
  await expectAccessible(page, "a plan with rules");
  await go("plan/questions");
  await page.getByText("questions to urgent").click();
  expect(await page.getByLabel("the table that is asked").inputValue()).toBe("urgent");
  await page.getByLabel("the table that is asked").selectOption("triage");
  await page.getByText("inquire: { of: triage, words: question }").waitFor();
  expect(faults).toEqual([]);
}, 60_000);

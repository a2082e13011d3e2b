import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { drawCheck, fillPlan, openProject, runJob, trialTemplate } from "../../../src/jobs/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../../helpers/cli.js";
import { closeDesks, expectAccessible, openDesk, type Desk } from "../../helpers/desk.js";

let browser: Browser;
let folder: string;
beforeAll(async () => {
  browser = await openBrowser();
  folder = demoProject();
  const project = await openProject({ cwd: folder });
  await runJob(trialTemplate, project, { template: "hazard-triage", resamples: 100 });
  await runJob(fillPlan, project, { plan: "triage" });
  await runJob(fillPlan, project, { plan: "reviewed", ignoreGate: true });
  await runJob(drawCheck, project, { plan: "reviewed", by: "Ines" });
  await project.close();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** Every page, with what has to be there before it is looked at, and the states that it can be in. */
const PAGES: readonly { readonly path: string; readonly ready: string; readonly states?: readonly ((page: Page) => Promise<unknown>)[] }[] =
  [
    { path: "", ready: ".plans li .needs", states: [(page) => page.getByRole("button", { name: "New template" }).click()] },
    { path: "begin", ready: ".drop" },
    { path: "begin?file=deck-log.csv", ready: ".first-rows td", states: [(page) => page.getByText("It is the next file").click()] },
    {
      path: "table/reviewed?row=R-007&col=safeHazard",
      ready: ".open-note .act",
      states: [
        async (page) => {
          await page.focus("#table-grid");
          await page.keyboard.press("c");
          await page.waitForSelector(".cell-form");
        },
        (page) => page.getByRole("button", { name: /^Fill F/ }).click(),
        (page) => page.getByRole("button", { name: "Columns", exact: true }).click(),
        (page) => page.getByRole("button", { name: "Where", exact: true }).click(),
        async (page) => {
          await page.locator(".column-head .name").last().click();
          await page.getByLabel("by another column, or over time").selectOption("vessel");
          await page.waitForSelector(".cross tbody tr");
        },
      ],
    },
    { path: "table/triage?states=%5B%22skipped%22%5D", ready: ".deck-row .note" },
    { path: "review/reviewed", ready: ".verbs", states: [(page) => page.keyboard.press("c")] },
    { path: "review/reviewed?of=check", ready: ".decide-form" },
    {
      path: "template/hazard-triage?plan=triage",
      ready: ".sent .put",
      states: [
        (page) => page.locator(".specs summary").nth(2).click(),
        (page) => page.getByRole("button", { name: "Beside its YAML" }).click(),
        (page) => page.getByRole("button", { name: "Versions", exact: true }).click(),
      ],
    },
    {
      path: "trials/hazard-triage?plan=triage",
      ready: ".confusion",
      states: [
        (page) => page.getByRole("button", { name: "correct the label" }).first().click(),
        (page) =>
          page
            .getByRole("button", { name: /take it into the template/ })
            .first()
            .click(),
      ],
    },
    { path: "samples/hazard-triage?plan=triage", ready: ".label-row" },
    { path: "report/reviewed", ready: ".share-chart" },
    { path: "ask/reviewed", ready: ".question" },
    { path: "plan/reviewed", ready: ".specs summary", states: [(page) => page.locator(".specs summary").first().click()] },
    {
      path: "runs",
      ready: ".contestants tbody tr",
      states: [(page) => page.locator("aside").getByRole("button", { name: "reviewed" }).click()],
    },
  ];

const SETTLE_MS = 700;

describe.each([
  ["light", false],
  ["dark", true],
] as const)("every page and state, %s", (name, isDark) => {
  it("fits WCAG 2.2 AA as axe sees it", async () => {
    const desk = await openDesk(browser, folder, { isDark });
    for (const { path, ready, states = [] } of PAGES) {
      await desk.go(path);
      await desk.page.waitForSelector(ready);
      await desk.page.waitForTimeout(SETTLE_MS);
      await expectAccessible(desk.page, `${path}, ${name}`);
      for (const [index, state] of states.entries()) {
        await state(desk.page);
        await desk.page.waitForTimeout(SETTLE_MS);
        await expectAccessible(desk.page, `${path}, state ${index + 1}, ${name}`);
      }
    }
    expect(desk.faults).toEqual([]);
  });
});

describe("room", () => {
  const overflow = (page: Page): Promise<number> =>
    page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  const all = async (desk: Desk): Promise<void> => {
    for (const { path, ready } of PAGES) {
      await desk.go(path);
      await desk.page.waitForSelector(ready, { state: "attached" });
      await desk.page.waitForTimeout(SETTLE_MS);
      expect(await overflow(desk.page), path).toBeLessThanOrEqual(1);
    }
  };
  it("at 200 % of 1280 by 800 nothing has to be scrolled sideways but tables", async () => {
    await all(await openDesk(browser, folder, { width: 640, height: 400 }));
  });
  it("on a tablet the note stands between the lines, and every page can be used", async () => {
    const desk = await openDesk(browser, folder, { width: 820, height: 1180 });
    await all(desk);
    await desk.go("table/reviewed?row=R-007&col=safeHazard");
    await desk.page.waitForSelector(".open-note .act");
    const [row, note, next] = await desk.page.evaluate(() => {
      const here = document.querySelector(".deck-row.here")!;
      const after = [...document.querySelectorAll(".deck-row")].find(
        (one) => one.getAttribute("aria-rowindex") === String(Number(here.getAttribute("aria-rowindex")) + 1),
      )!;
      return [here, here.querySelector(".open-note")!, after]
        .map((one) => one.getBoundingClientRect())
        .map(({ top, bottom }) => ({ top, bottom }));
    });
    // The key to the marks stands behind a button there.
    await desk.page.getByRole("button", { name: "Marks", exact: true }).click();
    await desk.page.locator(".marks-bar .skipped").click();
    await expect.poll(() => desk.page.locator(".filters").innerText()).toContain("a cell stands skipped");
    expect(note!.bottom).toBeLessThanOrEqual(row!.bottom + 1);
    expect(next!.top).toBeGreaterThanOrEqual(note!.bottom - 1);
  });
  it("targets are at least 24 px high", async () => {
    const desk = await openDesk(browser, folder);
    for (const { path, ready } of PAGES) {
      await desk.go(path);
      await desk.page.waitForSelector(ready);
      await desk.page.waitForTimeout(SETTLE_MS);
      const small = await desk.page
        .locator("button:visible, a.act:visible, select:visible")
        .evaluateAll((all) => all.filter((one) => one.getBoundingClientRect().height < 23.5).map((one) => one.outerHTML.slice(0, 100)));
      expect(small, path).toEqual([]);
    }
  });
});

import type { Browser } from "playwright-core";
import { afterAll, afterEach, beforeAll, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { countingHost, spreadProject } from "../../helpers/chaos.js";
import { removeTempFolders, start } from "../../helpers/cli.js";
import { postgresDatabase, type TestDatabase } from "../../helpers/databases.js";
import { closeDesks, expectAccessible, openDesk } from "../../helpers/desk.js";

let browser: Browser;
let base: TestDatabase;
beforeAll(async () => {
  browser = await openBrowser();
  base = await postgresDatabase();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  await base?.close();
  removeTempFolders();
});

it("a fill is spread to workers, who are told of, with how far they are", async () => {
  const host = await countingHost();
  host.delayMs = 200;
  const folder = spreadProject(host, (base.place as { url: string }).url, "desk", 300, 8);
  const { page, go } = await openDesk(browser, folder);
  await go("runs");
  await page.getByText(/Nobody works at this moment/).waitFor();
  const worker = start(["work", "--json"], folder);
  try {
    await page
      .locator(".workers li")
      .getByText(/0 rows a minute, 0 rows asked/)
      .waitFor({ timeout: 20_000 });
    await go("table/log");
    await page.keyboard.press("f");
    await page.getByLabel(/spread to workers, 1 of them there/).check();
    await page.getByRole("button", { name: /Ask about 300 rows/ }).click();
    const run = page.getByRole("group", { name: "Filling log" });
    await run.getByText(/\d of \d(?: or more)? chunks done, [\d,]+ rows? asked · 1 worker/).waitFor({ timeout: 30_000 });
    await go("runs");
    await page
      .locator(".workers li")
      .getByText(/[1-9]\d* rows a minute/)
      .waitFor({ timeout: 30_000 });
    await expectAccessible(page, "runs, with workers");
    await page.getByRole("group", { name: "Filled log" }).waitFor({ timeout: 60_000 });
    expect([...host.asked.values()].every((count) => count === 1)).toBe(true);
    expect(host.asked.size).toBe(300);
  } finally {
    worker.child.kill("SIGTERM");
    await worker.done;
    host.close();
  }
}, 120_000);

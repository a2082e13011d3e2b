import { appendFileSync } from "node:fs";
import path from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, afterEach, beforeAll, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { notesCsv, removeTempFolders, smallProject } from "../../helpers/cli.js";
import { closeDesks, expectAccessible, openDesk } from "../../helpers/desk.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

it("the first page tells of a plan that is watched, and of each round as it ends", async () => {
  const folder = smallProject(notesCsv(5), { more: "watch: { changes: true }\n" });
  const { page } = await openDesk(browser, folder);
  const line = page.locator(".watch-line");
  await line.getByText(/watched · last round just now: 5 rows asked, 15 cells altered/).waitFor({ timeout: 20_000 });
  appendFileSync(path.join(folder, "log.csv"), 'more,"A fire in the locker: flames and smoke."\n');
  await line.getByText(/1 row asked, 3 cells altered/).waitFor({ timeout: 20_000 });
  await expectAccessible(page, "now, with a plan that is watched");
  expect(await line.count()).toBe(1);
}, 60_000);

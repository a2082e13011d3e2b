import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { fillPlan, openProject, runJob, writeReview } from "../../../src/jobs/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../../helpers/cli.js";
import { closeDesks, openDesk, type Desk } from "../../helpers/desk.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** The demo with values that wait for a person, and for a random check. */
async function review(search = ""): Promise<Desk> {
  const folder = demoProject();
  const project = await openProject({ cwd: folder });
  await runJob(fillPlan, project, { plan: "reviewed", ignoreGate: true });
  await project.close();
  const desk = await openDesk(browser, folder);
  await desk.go(`review/reviewed${search}`);
  return desk;
}

const held = async (page: Page): Promise<number> => Number(/Held (\d+)/.exec(await page.locator(".head .right").innerText())![1]);

describe("review", () => {
  it("takes every decision by a key, moves on by itself, and takes each back", async () => {
    const { page, said, faults, served } = await review();
    await page.waitForSelector(".verbs");
    const before = await held(page);
    const first = await page.locator(".row-head b").innerText();
    await page.keyboard.press("a");
    await expect.poll(said).toBe(`${first}: accepted.`);
    await expect.poll(() => held(page)).toBe(before - 1);
    const second = await page.locator(".row-head b").innerText();
    expect(second).not.toBe(first);
    await page.keyboard.press("c");
    const [hazard, severity] = await page.locator(".decide-form select").all();
    expect(await hazard!.evaluate((field) => field === document.activeElement)).toBe(true);
    await hazard!.selectOption("fire");
    await severity!.selectOption("1");
    await page.getByRole("button", { name: /^Keep/ }).click();
    await expect.poll(said).toBe(`${second}: safeHazard is fire, safeSeverity is 1.`);
    const third = await page.locator(".row-head b").innerText();
    await page.keyboard.press("r");
    await page.getByLabel(/Why it is wrong/).fill("no such thing was said");
    await page.keyboard.press("Enter");
    await expect.poll(said).toBe(`${third}: rejected.`);
    const fourth = await page.locator(".row-head b").innerText();
    await page.keyboard.press("q");
    await page.getByLabel("What the model should know").fill("It happened in port.");
    await page.keyboard.press("Enter");
    await expect.poll(said).toBe(`${fourth}: to be asked again.`);
    const fifth = await page.locator(".row-head b").innerText();
    await page.keyboard.press("l");
    await expect.poll(() => page.locator(".row-head b").innerText()).not.toBe(fifth);
    for (const key of [fourth, third, second, first]) {
      await page.keyboard.press("z");
      await expect.poll(said).toContain(`Undone: ${key}:`);
      await expect.poll(() => page.locator(".row-head b").innerText()).toBe(key);
    }
    await expect.poll(() => held(page)).toBe(before);
    // What is decided reaches the table.
    await page.keyboard.press("a");
    await expect.poll(() => held(page)).toBe(before - 1);
    expect(await runJob(writeReview, served.project, { plan: "reviewed" })).toMatchObject({ written: true });
    expect(faults).toEqual([]);
  });

  it("agrees over two windows: what one decides leaves the other's list", async () => {
    const { page, said, window } = await review();
    await page.waitForSelector(".verbs");
    const other = await window("review/reviewed");
    await other.waitForSelector(".verbs");
    const key = await page.locator(".row-head b").innerText();
    expect(await other.locator(".row-head b").innerText()).toBe(key);
    await page.keyboard.press("a");
    await expect.poll(said).toBe(`${key}: accepted.`);
    await expect.poll(() => other.locator(".row-head b").innerText()).not.toBe(key);
    await expect.poll(async () => (await other.locator(".list .id").allInnerTexts()).includes(key)).toBe(false);
  });

  it("judges rows drawn at random before the model's value is seen, and the bounds move with each", async () => {
    const { page, said, faults } = await review("?of=check");
    await page.getByText("Nothing is drawn yet.").waitFor();
    await page.keyboard.press("d");
    await expect.poll(said).toMatch(/^40 rows of \d+ are drawn\.$/);
    await page.waitForSelector(".decide-form");
    expect(await page.locator(".case").innerText()).not.toMatch(/proposed/);
    const bounds = (): Promise<string> => page.locator(".wrongs tbody tr").first().innerText();
    expect(await bounds()).toContain("none looked at yet");
    const seen: string[] = [];
    for (let n = 0; n < 3; n++) {
      const key = await page.locator(".row-head b").innerText();
      seen.push(key);
      for (const field of await page.locator(".decide-form select").all()) await field.selectOption({ index: 2 });
      await page.getByRole("button", { name: /^That is right/ }).click();
      await expect.poll(said).toMatch(new RegExp(`^${key}: the model said`));
      await expect.poll(() => page.locator(".row-head b").innerText()).not.toBe(key);
    }
    await expect.poll(bounds).toMatch(/of 3/);
    const [, high] = /to (\d+) wrong/.exec(await bounds())!;
    expect(Number(high)).toBeGreaterThan(0);
    // The focus is in a field, where a letter is a letter.
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(bounds).toMatch(/of 2/);
    await expect.poll(() => page.locator(".row-head b").innerText()).toBe(seen[2]);
    expect(faults).toEqual([]);
  });
});

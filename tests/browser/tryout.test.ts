import path from "node:path";
import { fileURLToPath } from "node:url";
import type { Browser, Page } from "playwright-core";
import { build, preview, type PreviewServer } from "vite";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { openBrowser } from "../helpers/chromium.js";

const root = fileURLToPath(new URL("../../examples/tryout", import.meta.url));
let browser: Browser;
let server: PreviewServer;
let page: Page;
const faults: string[] = [];

beforeAll(async () => {
  await build({ root, logLevel: "error" });
  server = await preview({ root, logLevel: "error", preview: { port: 0, host: "127.0.0.1" } });
  browser = await openBrowser();
}, 1_500_000);
afterAll(async () => {
  await browser?.close();
  await server?.close();
});
beforeEach(async () => {
  await page?.close();
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  faults.length = 0;
  page.on("pageerror", (error) => faults.push(error.message));
  page.on("console", (message) => message.type() === "error" && faults.push(message.text()));
  await page.goto(server.resolvedUrls!.local[0]!);
});

const value = (part: string): Promise<string> => page.locator(`[data-part="${part}"]`).innerText();

describe("the tryout example in a real browser", () => {
  it("shows the exact prompt, asks the stand-in, and shows a typed answer", async () => {
    const prompt = page.getByRole("region", { name: "Prompt" });
    await expect.poll(() => prompt.innerText()).toMatch(/<data-([a-z]{10}) name="vessel">MV Kestrel<\/data-\1>/);
    await page.getByRole("button", { name: "Ask" }).click();
    await expect.poll(() => page.locator("[data-part]").count()).toBe(4);
    expect(await value("hazard")).toBe("mooring");
    expect(["3", "4", "5"]).toContain(await value("severity"));
    expect(await value("act")).toBe("yes");
    await page.getByLabel(/^report/).fill("Smoke and a burning smell from the dryer, put out with an extinguisher.");
    expect(await prompt.innerText()).toContain("burning smell");
    await page.getByRole("button", { name: "Ask" }).click();
    await expect.poll(() => value("hazard")).toBe("fire");
    expect(faults).toEqual([]);
  });

  it("tells mistakes in the template as they are typed, with their line", async () => {
    const source = page.getByRole("textbox", { name: "Template" });
    await source.fill((await source.inputValue()).replace("maxChars: 120", "maxChar: 120").replace("{{ report }}", "{{ raport }}"));
    await expect
      .poll(() => page.locator("#complaints li").allInnerTexts())
      .toEqual(["line 17 There is no key `maxChar` here. Did you mean `maxChars`?"]);
    expect(await page.getByRole("button", { name: "Ask" }).isDisabled()).toBe(true);
  });

  it("does not ask when an input is missing, and takes another template", async () => {
    await page.getByLabel(/^report/).fill(" ");
    await page.getByRole("button", { name: "Ask" }).click();
    await expect.poll(() => page.getByRole("status").innerText()).toBe("Not asked: report is blank.");
    await page.getByRole("button", { name: /Begin with/ }).click();
    await page.getByRole("option", { name: "Sum up a message" }).click();
    await page.getByRole("button", { name: "Ask" }).click();
    await expect.poll(() => page.locator('[data-part="travelDay"]').count()).toBe(1);
    expect(await value("travelDay")).toBe("2026-03-04");
    expect(await value("steps")).toContain("Please book us on the morning ferry.");
    expect(faults).toEqual([]);
  });

  it("keeps its picture for the documentation", async () => {
    await page.getByRole("button", { name: "Ask" }).click();
    await expect.poll(() => page.locator("[data-part]").count()).toBe(4);
    if (process.env["YOROSHI_SCREENSHOTS"]) await page.screenshot({ path: path.join(root, "../../docs/screenshots/tryout.png") });
    const overflow = await page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);
    expect(overflow).toBe(false);
  });
});

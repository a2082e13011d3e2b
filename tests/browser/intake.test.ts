import { readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { parse } from "csv-parse/sync";
import type { Browser, Page } from "playwright-core";
import { build, preview, type PreviewServer } from "vite";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../helpers/cli.js";
import { closeServed, serve } from "../helpers/served.js";

const root = fileURLToPath(new URL("../../examples/intake", import.meta.url));
let browser: Browser;
let shown: PreviewServer | undefined;
let page: Page;
const faults: string[] = [];

beforeAll(async () => {
  await build({ root, logLevel: "error" });
  browser = await openBrowser();
}, 1_500_000);
afterEach(async () => {
  await page.close();
  await shown?.close();
  await closeServed();
});
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

async function open(env: Record<string, string> = {}): Promise<void> {
  Object.assign(process.env, { YOROSHI_SERVER: "", YOROSHI_TOKEN: "" }, env);
  shown = await preview({ root, logLevel: "error", preview: { port: 0, host: "127.0.0.1" } });
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  faults.length = 0;
  page.on("pageerror", (error) => faults.push(error.message));
  await page.goto(shown.resolvedUrls!.local[0]!);
  await expect.poll(() => page.locator("#hazard option").count()).toBeGreaterThan(4);
}

const value = (id: string): Promise<string> => page.locator(`#${id}`).inputValue();
const filed = (): Promise<string[][]> =>
  page.locator("#filed tr").evaluateAll((rows) => rows.map((row) => [...row.querySelectorAll("td")].map((cell) => cell.textContent ?? "")));

describe("the intake form in a real browser", () => {
  it("suggests while one types, files as suggested or corrected, and drops what the advice settled, by itself", async () => {
    await open();
    expect(await page.locator("#where").innerText()).toContain("stand-in");
    expect(await page.getByRole("button", { name: "File the report" }).isDisabled()).toBe(true);
    await page.getByLabel("What happened").fill("Smoke and a burning smell from the dryer, put out with an extinguisher.");
    await expect.poll(() => value("hazard")).toBe("fire");
    expect(await page.locator("#advice").innerText()).toBe("tell the bridge at once");
    await page.getByRole("button", { name: "File the report" }).click();
    await expect.poll(filed).toMatchObject([{ 0: "1", 1: expect.stringContaining("dryer"), 2: "fire" }]);
    expect(await value("report")).toBe("");
    await page.getByLabel("What happened").fill("Oil under the ramp, slippery.");
    await expect.poll(() => page.locator("#advice").innerText()).toBe("clean it up and mark the place");
    await page.getByRole("button", { name: "The advice settled it" }).click();
    expect(await page.locator("#told").innerText()).toContain("nothing was filed");
    await page.getByLabel("What happened").fill("Bilge pump alarm again.");
    await expect.poll(() => value("hazard")).toBe("machinery");
    await page.getByLabel("Hazard").selectOption("spill");
    await page.getByLabel("What happened").fill("Bilge pump alarm again, motor hot.");
    await page.waitForTimeout(800);
    expect(await value("hazard")).toBe("spill");
    await page.getByRole("button", { name: "File the report" }).click();
    await expect.poll(async () => (await filed()).map(([key, , hazard]) => `${key} ${hazard}`)).toEqual(["2 spill", "1 fire"]);
    expect(faults).toEqual([]);
  });

  it("files into the project's table where a server is there, once asked and never twice; corrections become samples", async () => {
    const here = await serve(demoProject());
    await open({ YOROSHI_SERVER: here.base, YOROSHI_TOKEN: here.token });
    expect(await page.locator("#where").innerText()).toContain("marrowby");
    expect(await page.content()).not.toContain(here.token);
    await page.getByLabel("What happened").fill("Line parted at the aft bitts, nobody hurt.");
    await expect.poll(() => value("hazard")).toBe("mooring");
    const { days: before } = await here.api.readSpend({});
    await page.getByLabel(/How bad/).selectOption("5");
    await page.getByRole("button", { name: "File the report" }).click();
    await expect
      .poll(filed)
      .toMatchObject([["I-002", "Line parted at the aft bitts, nobody hurt.", "mooring", "5"], { 0: "I-001", 2: "" }]);
    const { days: after } = await here.api.readSpend({});
    const asked = (days: typeof before): number => days.reduce((sum, { requests }) => sum + requests, 0);
    // The row that was there before is not asked about; the new one is known already.
    expect(asked(after)).toBe(asked(before));
    const samples = parse(readFileSync(path.join(here.folder, "samples", "intake.csv"), "utf8"), { columns: true }) as Record<
      string,
      string
    >[];
    expect(samples).toMatchObject([{ report: "Line parted at the aft bitts, nobody hurt.", severity: "5" }]);
    const source = readFileSync(path.join(here.folder, "intake.csv"), "utf8");
    expect(source).toContain("I-002,");
    await here.served.close();
    expect(readFileSync(path.join(here.folder, "intake.filled.csv"), "utf8")).toContain(",mooring,5,");
    expect(faults).toEqual([]);
  });
});

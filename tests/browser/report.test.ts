import { copyFileSync, mkdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../helpers/chromium.js";
import { demoProject, removeTempFolders, run, tempFolder } from "../helpers/cli.js";

const docs = fileURLToPath(new URL("../../docs/screenshots", import.meta.url));
let browser: Browser;
let demo: string;
let file: string;

beforeAll(async () => {
  browser = await openBrowser();
  demo = demoProject();
  file = path.join(tempFolder(), "report.html");
  const template = path.join(demo, "templates/hazard-triage.yaml");
  const good = readFileSync(template, "utf8");
  copyFileSync(path.join(demo, "drafts/hazard-triage.first.yaml"), template);
  await run(["trial", "hazard-triage"], demo);
  writeFileSync(template, good);
  expect(
    (
      await run(
        ["trial", "hazard-triage", "--against", "1", "--against", "column=hazard:ruleHazard", "--slice", "vessel", "--report", file],
        demo,
      )
    ).code,
  ).toBe(0);
}, 1_500_000);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

/** Opens a report; every request beyond the file itself, and every error, fails the test. */
async function opened(report: string, scheme: "light" | "dark" = "light"): Promise<{ page: Page; faults: string[] }> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: scheme });
  const faults: string[] = [];
  page.on("pageerror", (error) => faults.push(error.message));
  page.on("request", (request) => request.url() !== pathToFileURL(report).href && faults.push(request.url()));
  await page.goto(pathToFileURL(report).href);
  await page.locator("h1").waitFor();
  return { page, faults };
}

describe("the report of a trial in a real browser", () => {
  it("is one file without network, with conclusions, charts that are named, and a filter", async () => {
    const { page, faults } = await opened(file);
    await expect
      .poll(() => page.locator(".verdict").innerText())
      .toMatch(/Against version 1\s+hazard: version 2 is better: \+4\d\.\d points/);
    expect(await page.locator(".verdict").innerText()).toContain("ines and tom agree on hazard in 75.8 % of 95 rows");
    const charts = page.getByRole("img");
    expect(await charts.count()).toBeGreaterThanOrEqual(6);
    for (const chart of await charts.all()) expect((await chart.getAttribute("aria-label"))!.length).toBeGreaterThan(10);
    const rows = page.locator("#disagreements tbody tr:visible");
    const all = await rows.count();
    await page.getByLabel("Part").selectOption("hazard");
    expect(await rows.count()).toBeLessThan(all);
    await page.getByLabel("Words").fill("kayak");
    expect(await rows.count()).toBe(1);
    expect(await page.getByRole("status").innerText()).toBe(`1 of ${all} rows`);
    expect(faults).toEqual([]);
    if (process.env["YOROSHI_SCREENSHOTS"]) {
      await page.evaluate("scrollTo(0, 0)");
      await page.screenshot({ path: path.join(docs, "report.png") });
    }
    await page.close();
  });

  it("has enough contrast by day and by night, and fits a narrow window", async () => {
    for (const scheme of ["light", "dark"] as const) {
      const { page } = await opened(file, scheme);
      for (const selector of ["h1", ".quiet", "td", "th", ".better"])
        expect(await contrastOf(page, selector), `${scheme} ${selector}`).toBeGreaterThanOrEqual(4.5);
      await page.setViewportSize({ width: 480, height: 800 });
      expect(await page.evaluate("document.documentElement.scrollWidth <= innerWidth + 1")).toBe(true);
      await page.close();
    }
  });

  it("of 1,000 rows stays below 3 MB; what rows say cannot become markup", async () => {
    const folder = demoProject();
    const lines = readFileSync(path.join(folder, "samples/follow-up.csv"), "utf8")
      .trim()
      .split("\n")
      .slice(1, 60)
      .filter((line) => (line.match(/"/g) ?? []).length % 2 === 0);
    const rows = Array.from({ length: 1_000 }, (_, index) =>
      lines[index % lines.length]!.replace(/^[^,]+/, `S-${index}`).replace(
        /,(yes|no)\r?$/,
        (_all, label: string) => `,${index % 3 === 0 ? (label === "yes" ? "no" : "yes") : label}`,
      ),
    );
    rows[0] = 'S-<img src=x onerror=alert(1)>,"</script><script>alert(1)</script> loose rail, please repair.",no';
    mkdirSync(path.join(folder, "samples"), { recursive: true });
    writeFileSync(path.join(folder, "samples/many.csv"), `reportId,report,needsAction\n${rows.join("\n")}\n`);
    const big = path.join(tempFolder(), "big.html");
    const ran = await run(["trial", "act-or-not", "--samples", "samples/many.csv", "--report", big, "--slice", "length:report"], folder);
    expect([ran.code, ran.err.includes("error")]).toEqual([0, false]);
    expect(statSync(big).size).toBeLessThan(3_000_000);
    const { page, faults } = await opened(big);
    expect(faults).toEqual([]);
    expect(await page.locator("#disagreements").innerText()).toContain("<img src=x onerror=alert(1)>");
    await page.close();
  }, 600_000);
});

/** WCAG 2.2 contrast of an element's text with what lies behind it. */
async function contrastOf(page: Page, selector: string): Promise<number> {
  return page
    .locator(selector)
    .first()
    .evaluate((element) => {
      const channels = (colour: string): number[] => colour.match(/[\d.]+/g)!.map(Number);
      const light = (colour: string): number => {
        const [r, g, b] = channels(colour)
          .slice(0, 3)
          .map((value) => (value / 255 <= 0.04045 ? value / 255 / 12.92 : ((value / 255 + 0.055) / 1.055) ** 2.4)) as [
          number,
          number,
          number,
        ];
        return 0.2126 * r + 0.7152 * g + 0.0722 * b;
      };
      let behind: Element | null = element;
      while (behind && (channels(getComputedStyle(behind).backgroundColor)[3] ?? 1) === 0) behind = behind.parentElement;
      const [text, ground] = [
        light(getComputedStyle(element).color),
        light(behind ? getComputedStyle(behind).backgroundColor : "rgb(255, 255, 255)"),
      ];
      return (Math.max(text, ground) + 0.05) / (Math.min(text, ground) + 0.05);
    });
}

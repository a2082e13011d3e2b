import { appendFileSync, readFileSync, statSync, writeFileSync } from "node:fs";
import path from "node:path";
import { pathToFileURL } from "node:url";
import axe from "axe-core";
import { parse } from "csv-parse/sync";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Browser } from "playwright-core";
import type { PlanReportTold } from "../../src/jobs/index.js";
import { demoProject, removeTempFolders, run } from "../helpers/cli.js";
import { openBrowser } from "../helpers/chromium.js";

let folder: string;
let first: PlanReportTold;
let second: PlanReportTold;
let browser: Browser;
const rowsNow = (): Record<string, string>[] => parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true });

beforeAll(async () => {
  folder = demoProject();
  expect((await run(["fill", "urgent"], folder)).code).toBe(0);
  expect((await run(["trial", "hazard-triage"], folder)).code).toBe(0);
  first = (await run(["report", "urgent", "--across", "vessel", "--json"], folder)).json();
  // Many reports of one kind come, and one changes.
  const more = Array.from(
    { length: 60 },
    (_, index) => `Y-${index},MV Heron,2026-11-0${(index % 9) + 1},AB,Mooring line parted at winch ${index}; nobody hurt.`,
  );
  appendFileSync(path.join(folder, "deck-log.csv"), `${more.join("\n")}\n`);
  const file = path.join(folder, "deck-log.csv");
  writeFileSync(
    file,
    readFileSync(file, "utf8").replace(/^R-001,.*$/m, "R-001,MV Petrel,2026-08-03,mate,Flames and smoke in the engine room."),
  );
  expect((await run(["fill", "urgent"], folder)).code).toBe(0);
  second = (await run(["report", "urgent", "--across", "vessel", "--json"], folder)).json();
  browser = await openBrowser();
}, 300_000);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

describe("a plan's report", () => {
  it("counts what stands in the columns, by time and by another column", () => {
    const rows = rowsNow();
    const hazard = second.columns.find(({ column }) => column === "hazardFound")!;
    expect(second).toMatchObject({ rows: rows.length, over: "loggedOn", across: "vessel" });
    for (const { value, rows: count, share, low, high } of hazard.shares) {
      const own = rows.filter((row) => row["hazardFound"] === value).length;
      expect(count, value).toBe(own);
      expect(share).toBeCloseTo(own / rows.filter((row) => row["hazardFound"] !== "").length, 10);
      expect(low).toBeLessThan(share);
      expect(high).toBeGreaterThan(share);
    }
    const heron = hazard.across.find(({ group }) => group === "MV Heron")!;
    expect(heron.counts["mooring"]).toBe(rows.filter((row) => row["vessel"] === "MV Heron" && row["hazardFound"] === "mooring").length);
    const november = hazard.over.find(({ group }) => group === "2026-11")!;
    expect(november.rows).toBe(rows.filter((row) => row["loggedOn"]!.startsWith("2026-11") && row["hazardFound"] !== "").length);
    const gravity = second.columns.find(({ column }) => column === "gravity")!;
    const numbers = rows.filter((row) => row["gravity"] !== "").map((row) => Number(row["gravity"]));
    expect(gravity.numbers).toMatchObject({ least: Math.min(...numbers), most: Math.max(...numbers) });
    expect(gravity.numbers!.mean).toBeCloseTo(numbers.reduce((sum, one) => sum + one, 0) / numbers.length, 10);
    expect(second.states["gravity"]).toEqual({ filled: numbers.length, skipped: rows.length - numbers.length });
    expect(second.trials[0]!.parts.map(({ part }) => part)).toContain("hazard");
    expect(second.spend[0]!.requests).toBeGreaterThan(200);
  });

  it("tells what has moved since the last, by a stated test, and which rows did", () => {
    expect(first).toMatchObject({ since: null, moved: [], passed: [] });
    const moved = second.moved.find(({ column }) => column === "hazardFound")!;
    expect(moved.rowsSince).toBe(61);
    expect(moved.adjusted).toBeLessThan(0.001);
    expect(moved.adjusted).toBeGreaterThanOrEqual(moved.p);
    expect(second.passed.find(({ column, after }) => column === "hazardFound" && after === "fire")).toMatchObject({
      keys: ["R-001"],
      rows: 1,
    });
  });

  it("is one file that reads by day and at night, with charts that have a name and can be saved, and no fault that axe finds", async () => {
    const file = path.join(folder, second.file!);
    expect(statSync(file).size).toBeLessThan(200_000);
    expect(readFileSync(file, "utf8")).not.toMatch(/(?:src|href)="https?:/);
    for (const colorScheme of ["light", "dark"] as const) {
      const page = await browser.newPage({ colorScheme, viewport: { width: 1280, height: 800 }, acceptDownloads: true });
      await page.goto(pathToFileURL(file).href);
      await page.addScriptTag({ content: axe.source });
      const { violations } = await page.evaluate(async () =>
        (globalThis as never as { axe: { run(): Promise<{ violations: { id: string }[] }> } }).axe.run(),
      );
      expect(
        violations.map(({ id }) => id),
        colorScheme,
      ).toEqual([]);
      expect(await page.getByRole("img", { name: "What stands in hazardFound" }).count()).toBe(1);
      if (colorScheme === "light") {
        const [download] = await Promise.all([page.waitForEvent("download"), page.locator("[data-save='column-0-chart']").click()]);
        const svg = readFileSync(await download.path(), "utf8");
        expect(svg).toMatch(/^<svg[^>]* xmlns="http:\/\/www\.w3\.org\/2000\/svg"/);
        expect(svg).not.toContain("var(--accent");
        expect(svg).toContain("<title");
      }
      await page.close();
    }
  }, 60_000);

  it("says what is wrong with a column that is not there", async () => {
    const { code, err } = await run(["report", "urgent", "--across", "vesel"], folder);
    expect(code).toBe(2);
    expect(err).toMatch(/no column `vesel`. Did you mean `vessel`/);
  });
});

import { readFileSync } from "node:fs";
import path from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { fillPlan, openProject, runJob } from "../../../src/jobs/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../../helpers/cli.js";
import { closeDesks, openDesk } from "../../helpers/desk.js";
import { celOf, piecesOf } from "../../../examples/desk/src/pages/plan/condition.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

describe("conditions that are built by choosing", () => {
  const typed = (name: string): boolean => name === "severity";
  it("are CEL, and are read back as the same pieces", () => {
    const pieces = [
      { column: "What they wrote", op: "notBlank", value: "" },
      { column: "severity", op: "atLeast", value: "4" },
      { column: "wind", op: "atMost", value: "7" },
      { column: "vessel", op: "is", value: 'MV "Tern"' },
      { column: "report", op: "contains", value: "rope" },
      { column: "urgent", op: "yes", value: "" },
    ] as const;
    const cel = celOf(pieces, typed);
    expect(cel).toBe(
      'row["What they wrote"] != "" && row.severity >= 4 && double(row.wind) <= 7.0 && row.vessel == "MV \\"Tern\\"" && row.report.contains("rope") && row.urgent == true',
    );
    expect(piecesOf(cel)).toEqual(pieces.map((piece) => (piece.column === "wind" ? { ...piece, value: "7.0" } : piece)));
  });
  it("are left as they are where they say more than could be chosen", () => {
    for (const cel of ['row.a == "x" || row.b == "y"', "size(row.report) > 3", 'row.report.matches("^x && y$")'])
      expect(piecesOf(cel)).toBeUndefined();
    expect(piecesOf("")).toEqual([]);
  });
});

describe("plans, what needs me, and runs", () => {
  it("write what is chosen into the plan's file, comments kept, and show it as YAML at once", async () => {
    const folder = demoProject();
    const { page, go, said, faults } = await openDesk(browser, folder);
    const file = path.join(folder, "plans", "reviewed.yaml");
    const before = readFileSync(file, "utf8");
    await go("plan/reviewed");
    await page.locator(".specs summary").first().click();
    await page.getByLabel("How").first().selectOption("contains");
    await page.getByLabel("Value").first().fill("rope");
    await expect.poll(() => page.locator(".cel-line code").first().innerText()).toBe('row.report.contains("rope")');
    await page.getByRole("button", { name: "and …" }).first().click();
    await page.getByLabel("Column", { exact: true }).nth(1).selectOption("vessel");
    await page.getByLabel("Value").nth(1).fill("MV Tern");
    await page.getByLabel("rows a run").fill("25");
    await page.getByLabel("safeHazard").last().selectOption("keep");
    await expect.poll(() => page.locator(".editor.yaml").innerText()).toContain('row.report.contains("rope") && row.vessel == "MV Tern"');
    await page.keyboard.press("Control+s");
    await expect.poll(said).toBe("plans/reviewed.yaml is saved.");
    const after = readFileSync(file, "utf8");
    expect(after).toContain("# Grave reports wait for a person.");
    expect(after).toMatch(/rows: 25/);
    expect(after).toMatch(/safeHazard: keep/);
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(() => readFileSync(file, "utf8")).toBe(before);
    expect(faults).toEqual([]);
  });

  it("lead to what needs a person, and show what was run", async () => {
    const folder = demoProject();
    const project = await openProject({ cwd: folder });
    await runJob(fillPlan, project, { plan: "reviewed", ignoreGate: true });
    await project.close();
    const { page, go, said, faults } = await openDesk(browser, folder);
    await expect.poll(() => page.locator(".plans li", { hasText: "reviewed" }).innerText()).toMatch(/\d+ held/);
    await go("runs");
    await expect.poll(() => page.locator(".contestants tbody tr").count()).toBe(1);
    await page.locator("aside").getByRole("button", { name: "reviewed" }).click();
    await expect.poll(() => page.locator(".reasons").innerText()).toContain("held for a decision");
    await page.getByRole("button", { name: "Undo …" }).click();
    await page.getByRole("button", { name: /^Yes, put back what stood before/ }).click();
    await expect.poll(said).toContain("is undone");
    await go("");
    await page
      .locator(".plans li", { hasText: "reviewed" })
      .getByRole("link", { name: /not asked yet/ })
      .click();
    await page.waitForURL(/table\/reviewed\?states/);
    expect(faults).toEqual([]);
  });
});

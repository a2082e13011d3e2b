import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, expect, it } from "vitest";
import { demoProject, removeTempFolders, run } from "../helpers/cli.js";
import { xlsxRows } from "../../src/adapters/xlsx/index.js";
import { place, PLACES } from "../helpers/places.js";

afterAll(removeTempFolders);

/** A CSV file keeps words from being run as a formula by a mark before them; the other kinds have types for that. */
const unmarked = (text: string): string => text.replace(/^'(?=[=+\-@])/, "");

const FILLED = ["hazard", "severity", "severityWhy"];

it("the demo gives the same result as CSV, workbook, SQLite and PostgreSQL, and a second fill has nothing to do", async () => {
  const results: Record<string, Record<string, string>> = {};
  for (const kind of PLACES) {
    const folder = demoProject();
    const one = await place(kind, folder, "deck-log.csv", "reportId");
    const edit = (file: string, change: (text: string) => string): void =>
      writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
    edit("plans/triage.yaml", (text) => text.replace(/^table: .*$/m, `table: ${one.table}`));
    edit("yoroshi.yaml", (text) => text + one.project);
    const before = await one.source();
    expect((await run(["check", "triage"], folder)).code).toBe(0);
    const first = await run(["fill", "triage", "--json", ...one.options], folder);
    expect(first.json()).toMatchObject({ rows: 248, filled: 242, skipped: 6, failed: 0, written: true });
    const rows = await one.result();
    results[kind] = Object.fromEntries(
      rows.map((row) => [row["reportId"]!, FILLED.map((column) => unmarked(row[column] ?? "")).join(" | ")]),
    );
    expect(await one.source()).toEqual(before);
    expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ asked: 0, filled: 242, newEdits: 0, spent: 0 });
    expect(await one.result()).toEqual(rows);
    await one.close();
  }
  for (const kind of PLACES) expect(results[kind]).toEqual(results["csv"]);
});

it("a workbook shows on request, in a second sheet, how every cell stands and why", async () => {
  const folder = demoProject();
  const one = await place("xlsx", folder, "deck-log.csv", "reportId");
  const plan = path.join(folder, "plans/triage.yaml");
  writeFileSync(plan, readFileSync(plan, "utf8").replace(/^table: .*$/m, `table: ${one.table}`));
  await run(["fill", "triage"], folder);
  writeFileSync(plan, readFileSync(plan, "utf8").replace("key: reportId }", "key: reportId, states: sheet }"));
  expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ asked: 0, written: true });
  const states: Record<string, string>[] = [];
  for await (const some of xlsxRows(path.join(folder, "rows.filled.xlsx"), "rows.filled.xlsx", { sheet: "Cell states" }).rows())
    states.push(...some);
  expect(states).toHaveLength(248);
  const skipped = states.filter((row) => row["hazard"] === "skipped");
  expect([states.filter((row) => row["hazard"] === "filled").length, skipped.length]).toEqual([242, 6]);
  expect(skipped.every((row) => row["why"] !== "")).toBe(true);
  expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ written: false });
  writeFileSync(plan, readFileSync(plan, "utf8").replace(/^table: .*$/m, "table: { file: deck-log.csv, key: reportId, states: sheet }"));
  expect((await run(["check", "triage"], folder)).out).toContain("`states` is for workbooks");
  await one.close();
});

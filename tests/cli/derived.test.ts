import { existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, expect, it } from "vitest";
import { postgresDatabase } from "../helpers/databases.js";
import { resave, SOFFICE } from "../helpers/other-programs.js";
import { demoProject, removeTempFolders, run } from "../helpers/cli.js";

afterAll(removeTempFolders);

const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
const rowsOf = (folder: string, file: string): Record<string, string>[] => parse(readFileSync(path.join(folder, file)), { columns: true });

it("rows made of items: one command fills both plans, a person's words stay, a second run changes nothing", async () => {
  const folder = demoProject();
  expect((await run(["check"], folder)).code).toBe(0);
  const both = await run(["fill", "details", "--derived", "--json"], folder);
  expect(both.json()).toMatchObject({
    plan: "details",
    failed: 0,
    derived: [{ plan: "seen", table: "details.seen", target: "seen.csv", asked: 0, failed: 0, steps: { rows: {}, board: {} } }],
  });
  const filled = rowsOf(folder, "deck-log.filled.csv");
  const items = filled.flatMap((row) =>
    row["seen"]!.split("\n")
      .filter(Boolean)
      .map((line) => ({
        reportId: row["reportId"]!,
        vessel: row["vessel"]!,
        ...(JSON.parse(line.replaceAll("\\\\", "\\")) as { what: string; how: number }),
      })),
  );
  expect(items.length).toBeGreaterThan(100);
  const seen = rowsOf(folder, "seen.csv");
  expect(
    seen.map(({ reportId, vessel, what, how }) => ({ reportId, vessel, what: what!.replace(/^'(?=[=@+-])/, ""), how: Number(how) })),
  ).toEqual(items);
  expect(new Set(seen.map((row) => row["seenId"])).size).toBe(items.length);
  expect(seen.find((row) => Number(row["how"]) >= 0.5)!["line"]).toMatch(/^MV \w+, /);

  edit(folder, "seen.csv", (text) => text.replace(/^(R-002\/1,.*),0\.5,/m, "$1,1,"));
  const again = await run(["fill", "seen", "--json"], folder);
  expect(again.json()).toMatchObject({ newEdits: 1, asked: 0 });
  expect(rowsOf(folder, "seen.csv")[0]).toMatchObject({ seenId: "R-002/1", how: "1", line: expect.stringContaining("MV Dipper") });
  expect((await run(["fill", "seen", "--json"], folder)).json()).toMatchObject({ written: false });
  expect((await run(["status", "seen", "--cell", "R-002/1", "--column", "how"], folder)).out).toMatch(/item 1 of R-002[\s\S]+how +0\.5 +1/);
  // Without totals that come back from them, rows that are made are filled when that is asked for.
  edit(folder, "plans/details.yaml", (text) =>
    text.replace(/^related:[^]*?(?=^steps:)/m, "").replace(/^ {2}totals:[^]*?(?=^limits:)/m, ""),
  );
  expect((await run(["fill", "details"], folder)).err).toContain("Made of its rows: seen. `yoroshi fill details --derived` fills it, too.");
});

it("rows made of groups: figures by code, prose whose numbers are held against them", async () => {
  const folder = demoProject();
  const early = await run(["fill", "by-vessel"], folder);
  expect(early).toMatchObject({
    code: 0,
    err: expect.stringContaining("The plan rounds gives no rows yet. Fill it first: `yoroshi fill rounds --derived`."),
  });
  const report = await run(["fill", "rounds", "--derived", "--json"], folder);
  expect(report.json()).toMatchObject({ derived: [{ plan: "by-vessel", rows: 5, steps: { rows: { filled: 5 }, tell: { asked: 5 } } }] });
  const log = rowsOf(folder, "deck-log.filled.csv").filter((row) => row["kind"] !== "");
  for (const row of rowsOf(folder, "by-vessel.csv")) {
    const own = log.filter(({ vessel }) => vessel === row["vessel"]);
    const grave = own.filter((one) => Number(one["gravity"]) >= 4);
    expect(row).toMatchObject({
      reports: String(own.length),
      grave: String(grave.length),
      graveShare: String(Number((grave.length / own.length).toFixed(4))),
      meanGravity: String(Number((own.reduce((sum, one) => sum + Number(one["gravity"]), 0) / own.length).toFixed(4))),
    });
    expect(row["worst"]!.split("\n")).toHaveLength(6);
    for (const number of row["brief"]!.match(/\d+/g) ?? []) expect(`${row["worst"]} ${row["reports"]} ${row["grave"]}`).toContain(number);
  }
  expect((await run(["show", "by-vessel"], folder)).out).toMatch(
    /table +by-vessel\.csv, key vessel\n +made of +groups of rounds by vessel, when row\.kind != ""[\s\S]+graveShare +share: row\.gravity >= 4/,
  );
  expect((await run(["fill", "by-vessel", "--where", "row.grave > 9", "--json"], folder)).json<{ rows: number }>().rows).toBe(
    rowsOf(folder, "by-vessel.csv").filter((row) => Number(row["grave"]) > 9).length,
  );
  expect((await run(["fill", "rounds", "--where", "row.report > 3"], folder)).err).toContain("--where holds for no row. Cells are text");
  // One row of one vessel changes: only what is made of it is asked again.
  edit(folder, "deck-log.csv", (text) => text.replace(/^(R-005,.*)Polished/m, "$1Freshly polished"));
  await run(["fill", "rounds"], folder);
  const after = (await run(["fill", "by-vessel", "--json"], folder)).json<{ asked: number }>();
  expect(after.asked).toBeLessThanOrEqual(1);
});

it("rows are kept in a database, its table created on request", async () => {
  const base = await postgresDatabase();
  try {
    const folder = demoProject();
    edit(folder, "yoroshi.yaml", (text) => `${text}\ndatabases:\n  main: { url: { env: DATABASE_URL } }\n`);
    edit(folder, "plans/seen.yaml", (text) => text.replace("file: seen.csv", "database: main, table: seen"));
    process.env["DATABASE_URL"] = (base.place as { url: string }).url;
    await run(["fill", "details"], folder);
    const refused = await run(["fill", "seen"], folder);
    expect(refused).toMatchObject({ code: 2 });
    expect(refused.err).toMatch(/create table "seen" \("seenId" text NOT NULL, .*PRIMARY KEY \("seenId"\)\)/i);
    const made = await run(["fill", "seen", "--create-columns", "--json"], folder);
    expect(made.json()).toMatchObject({ failed: 0, written: true });
    const count = async (): Promise<string> => String((await base.run("SELECT count(*) AS n FROM seen"))[0]!["n"]);
    const before = await count();
    await base.run(`UPDATE seen SET what = 'put right' WHERE "seenId" = 'R-002/1'`);
    expect((await run(["fill", "seen", "--json"], folder)).json()).toMatchObject({ newEdits: 1 });
    expect(await count()).toBe(before);
    expect((await base.run(`SELECT what FROM seen WHERE "seenId" = 'R-002/1'`))[0]!["what"]).toBe("put right");
  } finally {
    delete process.env["DATABASE_URL"];
    await base.close();
  }
});

it.each(["xlsx", "ods"])("rows are kept in a sheet (.%s): they come, change and go, and a person's column stays", async (ending) => {
  const folder = demoProject();
  const file = `seen.${ending}`;
  edit(folder, "plans/seen.yaml", (text) => text.replace("file: seen.csv", `file: ${file}`));
  expect(await run(["fill", "details", "--derived", "--json"], folder)).toMatchObject({ code: 0 });
  const csv = demoProject();
  await run(["fill", "details", "--derived", "--json"], csv);
  const sheet = async (): Promise<Record<string, string>[]> => {
    const { odsRows } = await import("../../src/adapters/ods/index.js");
    const { xlsxRows } = await import("../../src/adapters/xlsx/index.js");
    const found: Record<string, string>[] = [];
    const rows = (ending === "ods" ? odsRows : xlsxRows)(path.join(folder, file), file);
    for await (const some of rows.rows()) found.push(...(some as Record<string, string>[]));
    return found;
  };
  const plain = (rows: Record<string, string>[]): unknown[] =>
    rows.map((row) => [row["seenId"], row["vessel"], row["what"]!.replace(/^'(?=[=@+-])/, ""), Number(row["how"]), row["line"]]);
  const made = await sheet();
  expect(plain(made)).toEqual(plain(rowsOf(csv, "seen.csv")));
  if (SOFFICE) {
    resave(path.join(folder, file), "csv", folder);
    expect(readFileSync(path.join(folder, "seen.csv"), "utf8").split("\n")[0]).toBe("seenId,reportId,vessel,loggedOn,what,how,line");
    rmSync(path.join(folder, "seen.csv"));
  }
  // Two reports go, one comes back: blank rows are taken again, and no more rows stand there than before.
  const before = readFileSync(path.join(folder, "deck-log.csv"), "utf8");
  const without = before.replace(/^R-002,.*\n/m, "").replace(/^R-003,.*\n/m, "");
  expect(without).not.toBe(before);
  writeFileSync(path.join(folder, "deck-log.csv"), without);
  await run(["fill", "details", "--derived", "--json"], folder);
  const fewer = await sheet();
  expect(fewer.length).toBeLessThan(made.length);
  expect(fewer.some((row) => row["reportId"] === "R-002")).toBe(false);
  writeFileSync(path.join(folder, "deck-log.csv"), before);
  expect((await run(["fill", "details", "--derived", "--json"], folder)).json()).toMatchObject({ failed: 0 });
  const again = await sheet();
  expect(new Set(plain(again).map((row) => JSON.stringify(row)))).toEqual(new Set(plain(made).map((row) => JSON.stringify(row))));
  await run(["fill", "seen", "--json"], folder);
  expect((await run(["fill", "seen", "--json"], folder)).json()).toMatchObject({ written: false });
});

it.each<[string, string, RegExp]>([
  ["of a plan that is not there", "items: { of: detials, column: seen }, file: x.csv, key: k", /detials/],
  ["of a column that no step fills", "items: { of: details, column: sene }, file: x.csv, key: k", /Did you mean `seen`/],
  ["of itself", "items: { of: seen, column: what }, file: x.csv, key: k", /made of themselves: seen of seen/],
  ["of groups without figures", "groups: { of: rounds, by: vessel }, file: x.csv", /figures/],
  ["of a figure that is none", "groups: { of: rounds, figures: { n: { cuont: all } } }, file: x.csv", /cuont/],
  [
    "with a step's name taken",
    "items: { of: details, column: seen }, file: x.csv, key: k }\nsteps: { rows: { set: { a: b } }",
    /`rows` is the step that makes the rows/,
  ],
  [
    "with a column filled twice",
    "items: { of: details, column: seen }, file: x.csv, key: k }\nsteps: { more: { set: { what: b } }",
    /fills `what`, which the rows have of their own/,
  ],
])("rows made %s are refused, and nothing is written", async (_, table, told) => {
  const folder = demoProject();
  rmSync(path.join(folder, "plans/seen.yaml"));
  writeFileSync(path.join(folder, "plans/seen.yaml"), `yoroshi: plan/1\nname: seen\ntable: { ${table} }\n`);
  const checked = await run(["check", "seen"], folder);
  expect(checked.code).toBe(2);
  expect(checked.out + checked.err).toMatch(told);
  expect(await run(["fill", "seen"], folder)).toMatchObject({ code: 2 });
  expect(existsSync(path.join(folder, "x.csv"))).toBe(false);
});

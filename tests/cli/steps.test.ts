import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { sqliteLedger } from "../../src/adapters/sqlite-ledger/index.js";
import { standinServer, type StandinServer } from "../../src/services/standin-server/index.js";
import { demoProject, notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";

const servers: StandinServer[] = [];
const served = async (...options: Parameters<typeof standinServer>): Promise<StandinServer> => {
  const server = await standinServer(...options);
  servers.push(server);
  return server;
};
afterEach(async () => {
  for (const server of servers.splice(0)) await server.close();
});
afterAll(removeTempFolders);

const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));

it("a plan of several steps is checked, previewed, filled, told and explained step by step", async () => {
  const folder = demoProject();
  expect((await run(["check", "rounds"], folder)).code).toBe(0);
  expect((await run(["fill", "rounds", "--dry-run"], folder)).out).toMatch(
    /depend on answers +242 rows of later steps[\s\S]+step +asked +known +filled[\s\S]+triage +\d+/,
  );
  const filled = await run(["fill", "rounds", "--json"], folder);
  const report = filled.json<{ rows: number; failed: number; steps: Record<string, Record<string, number>> }>();
  expect(report).toMatchObject({
    rows: 248,
    failed: 0,
    steps: { triage: { filled: 242, skipped: 6 }, actions: { failed: 0 }, board: { asked: 0 } },
  });
  expect(report.steps["actions"]!["asked"]).toBeLessThan(report.steps["triage"]!["filled"]!);
  const rows = parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[];
  for (const row of rows) {
    expect(row["mustAct"] !== "").toBe(Number(row["gravity"]) >= 3);
    if (row["kind"] !== "" && row["kind"] !== "unclear")
      expect(row["line"]).toBe(
        `${row["vessel"]}: ${row["kind"]}, ${row["gravity"]} of 5${row["mustAct"] === "yes" ? ", somebody has to act" : ""}`,
      );
  }
  const status = (await run(["status", "rounds"], folder)).out;
  expect(status).toMatch(/actions +– skipped +`gravity` of an earlier step is blank/);
  expect(status).toMatch(/Spent in all\n +step +model +requests[\s\S]+triage +standin-small/);
  const one = rows.find((row) => row["mustAct"] === "yes")!["reportId"]!;
  const explained = (await run(["status", "rounds", "--cell", one], folder)).out;
  for (const step of ["Step triage", "Step actions", "Step board"]) expect(explained).toContain(step);
  expect((await run(["status", "rounds", "--cell", one, "--column", "todo", "--json"], folder)).json()).toMatchObject({
    steps: [{ step: "actions", columns: ["mustAct", "todo"] }],
  });
  expect((await run(["show", "rounds"], folder)).out).toMatch(
    /Step actions {2}template follow-up, when row.gravity >= 3[\s\S]+Step board {2}plain columns/,
  );
  expect((await run(["try", "rounds", "--step", "actions", "--row", one], folder)).out).toContain("follow-up");
  // A person's word for a kind changes the line that is made of it, and nothing is asked for that.
  edit(folder, "deck-log.filled.csv", (text) =>
    text.replace(new RegExp(`^(${one},.*?),(${rows.find((row) => row["reportId"] === one)!["kind"]}),(\\d)`, "m"), "$1,by-hand,$3"),
  );
  expect((await run(["fill", "rounds", "--json"], folder)).json()).toMatchObject({ asked: 0 });
  expect(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8")).toContain(": by-hand, ");
  edit(folder, "plans/rounds.yaml", (text) => text.replace("row.gravity >= 3", "row.order >= 3.0"));
  expect(await run(["check", "rounds"], folder)).toMatchObject({
    code: 2,
    out: expect.stringContaining(
      "The steps wait for each other: `actions` reads `order` of `board`, `board` reads `mustAct` of `actions`.",
    ),
  });
}, 600_000);

it("several rows share a request, for the same answers and less money, and the checks say where they cannot", async () => {
  const folder = demoProject();
  edit(folder, "plans/triage.yaml", (text) => text.replace("template: hazard-triage", "template: hazard-triage\n    rowsPerRequest: 20"));
  const estimate = (await run(["fill", "triage", "--dry-run", "--json"], folder)).json<{ tokensIn: number }>();
  const filled = (await run(["fill", "triage", "--json", "--refill", "all"], folder)).json<{
    asked: number;
    filled: number;
    tokensIn: number;
  }>();
  expect(filled).toMatchObject({ asked: 238, filled: 242 });
  expect(estimate.tokensIn / filled.tokensIn).toBeGreaterThan(0.8);
  // The letters of fences are counted one way by the tokenizer, another by the stand-in.
  expect(estimate.tokensIn / filled.tokensIn).toBeLessThan(1.35);
  expect(filled.tokensIn).toBeLessThan(238 * 150);
  expect((await run(["status", "triage", "--cell", "R-012"], folder)).out).toMatch(/asked with \d+ other rows/);
  edit(folder, "templates/hazard-triage.yaml", (text) => text.replace(/^role: .*$/m, "role: You read {{ report }}."));
  expect((await run(["check"], folder)).err + (await run(["check"], folder)).out).toContain(
    "Rows of this step cannot share a request: the role uses the input `report`",
  );
});

it("a sample is drawn at random, the same with the same seed", async () => {
  const folder = smallProject(notesCsv(60));
  const keysOf = (): string[] =>
    (parse(readFileSync(path.join(folder, "log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[])
      .filter((row) => row["topic"] !== "")
      .map((row) => row["id"]!);
  expect((await run(["fill", "log", "--sample", "10", "--json"], folder)).json()).toMatchObject({ rows: 10, asked: 10 });
  const first = keysOf();
  expect(first).not.toEqual(Array.from({ length: 10 }, (_, index) => `n${index}`));
  expect((await run(["fill", "log", "--sample", "10", "--dry-run", "--json"], folder)).json()).toMatchObject({ asked: 0 });
  expect((await run(["fill", "log", "--sample", "10", "--seed", "2", "--json"], folder)).json<{ asked: number }>().asked).toBeGreaterThan(
    3,
  );
});

describe("before the first request", () => {
  it("everything that stands in the way is told at once, and nothing is asked", async () => {
    const server = await served({ faults: { unauthorised: 1 } });
    const folder = smallProject(notesCsv(5), { endpoint: server.endpoint, more: "" });
    edit(folder, "yoroshi.yaml", (text) => text.replace(", price: { input: 0.15, output: 0.6 }", ""));
    edit(folder, "plans/log.yaml", (text) => text.replace("limits: { atOnce: 8 }", "limits: { atOnce: 8, spend: 1 }"));
    const told = await run(["fill", "log"], folder);
    expect(told.code).toBe(3);
    expect(told.err).toMatch(
      /The plan log cannot be filled yet; nothing was asked:\n {2}- A spend cap is set, but the model standin-small has no price[\s\S]+\n {2}- http:\S+ refused the key for the model standin-small/,
    );
    expect(server.counts.requests).toBe(1);
    expect((await run(["fill", "log", "--no-probe"], folder)).err).toMatch(/^error: A spend cap is set/m);
  });

  it("a model is asked for a word only as long as it is new to the project", async () => {
    const server = await served();
    const folder = smallProject(notesCsv(3), { endpoint: server.endpoint });
    const first = (await run(["fill", "log", "--json"], folder)).json<{ tokensIn: number }>();
    expect(server.counts.requests).toBe(4);
    // What the word cost is booked, too.
    const ledger = sqliteLedger(path.join(folder, ".yoroshi/ledger.sqlite"));
    expect(await ledger.charges.since(0)).toBeGreaterThan((await ledger.charges.of("log"))[0]!.spent);
    expect((await ledger.charges.of("log"))[0]!.tokensIn).toBe(first.tokensIn);
    await ledger.close();
    await run(["fill", "log", "--refill", "all"], folder);
    expect(server.counts.requests).toBe(7);
    // Where the cap has no room for it, not even the word is asked.
    const poor = smallProject(notesCsv(3), { endpoint: server.endpoint });
    edit(poor, "yoroshi.yaml", (text) => `${text}limits: { spendPerMonth: 0.000001 }\n`);
    expect((await run(["fill", "log", "--json"], poor)).json()).toMatchObject({ end: "spendCap", asked: 0 });
    expect(server.counts.requests).toBe(7);
    const other = smallProject(notesCsv(3), { endpoint: server.endpoint });
    await run(["fill", "log", "--no-probe"], other);
    expect(server.counts.requests).toBe(10);
    expect(readdirSync(path.join(folder, ".yoroshi/runs"))).toEqual([expect.stringMatching(/^\d{4}-\d\d-\d\d-log\.jsonl$/)]);
  });
});

it("a month's cap holds over runs, and status tells what is left of it", async () => {
  const folder = smallProject(notesCsv(40));
  edit(folder, "yoroshi.yaml", (text) => `${text}limits: { spendPerMonth: 0.002 }\n`);
  const first = (await run(["fill", "log", "--json"], folder)).json<{ end: string; spent: number }>();
  expect(first.end).toBe("spendCap");
  expect(first.spent).toBeLessThanOrEqual(0.002);
  const again = (await run(["fill", "log", "--json"], folder)).json<{ end: string; spent: number }>();
  expect(again.end).toBe("spendCap");
  expect(first.spent + again.spent).toBeLessThanOrEqual(0.002);
  expect((await run(["status", "log"], folder)).out).toMatch(/This month 0\.00\d+ USD of 0\.0020* USD spent by all plans and trials\./);
  expect(existsSync(path.join(folder, "log.filled.csv"))).toBe(true);
});

it("a host that goes down and comes back is waited for; one that stays away ends the run with what it has", async () => {
  const server = await served({ latencyMs: 20 });
  const folder = smallProject(notesCsv(60), { endpoint: server.endpoint, model: ", limits: { patienceSeconds: 3 }" });
  await run(["fill", "log", "--rows", "5"], folder);
  await server.close();
  servers.length = 0;
  const away = await run(["fill", "log", "--json"], folder);
  expect(away.code).toBe(3);
  expect(away.err).toMatch(/keeps failing[\s\S]+kept failing/);
  expect((await run(["status", "log", "--json"], folder)).json()).toMatchObject({ columns: { topic: { filled: 5, blank: 55 } } });
}, 300_000);

import { appendFileSync, existsSync, readFileSync } from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { demoProject, removeTempFolders, run } from "../helpers/cli.js";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";

let base: TestDatabase;
beforeAll(async () => {
  base = await postgresDatabase();
});
afterAll(async () => {
  await base.close();
  removeTempFolders();
});

it("a ledger goes into a database and back, and nothing of it is another: states, trials, costs, what is known", async () => {
  const folder = demoProject();
  appendFileSync(path.join(folder, "yoroshi.yaml"), `databases:\n  main: { url: "${(base.place as { url: string }).url}" }\n`);
  const yaml = (): string => readFileSync(path.join(folder, "yoroshi.yaml"), "utf8");
  const before = yaml();
  await run(["fill", "triage", "--json"], folder);
  await run(["trial", "hazard-triage", "--json"], folder);
  const told = async (): Promise<string[]> => [
    (await run(["status", "triage"], folder)).out,
    (await run(["status", "triage", "--changes"], folder)).out,
    (await run(["status", "triage", "--cell", "R-002"], folder)).out,
    (await run(["versions", "hazard-triage"], folder)).out,
  ];
  const here = await told();
  const there = await run(["ledger", "move", "--to", "main", "--json"], folder);
  expect(there.json()).toMatchObject({ to: "yoroshi in the database main", rows: { answers: 238, cells: 248, runs: 2 } });
  expect(yaml()).toBe(`${before}ledger: { database: main, schema: yoroshi }\n`);
  expect(existsSync(path.join(folder, ".yoroshi", "ledger.sqlite"))).toBe(false);
  expect(Number((await base.run("SELECT count(*) AS n FROM yoroshi.answers"))[0]!["n"])).toBe(238);
  expect(await told()).toEqual(here);
  expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ asked: 0, written: false });
  const [stood] = await told();
  expect((await run(["ledger", "move", "--to", "main"], folder)).err).toContain("the ledger is there already");
  expect((await run(["ledger", "move", "--to", "mian"], folder)).err).toContain("There is no database `mian`. Did you mean `main`?");

  const back = await run(["ledger", "move", "--to", "file"], folder);
  expect(back.out).toContain("every row was read back and is the same");
  expect(yaml()).toBe(before);
  const [states] = await told();
  expect(states).toBe(stood);
  // What is in the database still is not written over unsaid.
  expect((await run(["ledger", "move", "--to", "main"], folder)).err).toContain("holds a ledger already");
  expect(yaml()).toBe(before);
}, 120_000);

import { cpSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { chaos, countingHost, expectRight, requestsTo, spreadProject, type CountingHost } from "../helpers/chaos.js";
import { notesCsv, removeTempFolders, run, smallProject, start, tempFolder } from "../helpers/cli.js";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";

const ROWS = 240;
const AT_ONCE = 18;

let base: TestDatabase;
let host: CountingHost;
beforeAll(async () => {
  base = await postgresDatabase();
  host = await countingHost();
});
afterAll(async () => {
  host.close();
  await base.close();
  removeTempFolders();
});

let schemas = 0;
const project = (rows = ROWS): string => spreadProject(host, (base.place as { url: string }).url, `spread_${++schemas}`, rows, AT_ONCE);
const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
const requests = (): number => requestsTo(host);

it("a fill is done by workers that are killed and frozen, with an outage and a host that storms: every row once, right, in its place", async () => {
  const { repeats } = await chaos(base, host, `spread_${++schemas}`, {
    fill: { rows: ROWS, workers: 3, atOnce: AT_ONCE, chunk: 12 },
    happens: { kills: 1, freezes: 1, outages: 1, storms: 1 },
  });
  // What was in flight when a worker was killed or frozen may be asked again, and no more.
  expect(repeats).toBeLessThanOrEqual((2 * AT_ONCE) / 3);
}, 120_000);

it("workers of this machine come and go with the fill; a second fill asks nothing", async () => {
  const folder = project(60);
  const first = await run(["fill", "log", "--spread", "--workers", "2", "--chunk", "10", "--json"], folder);
  expect(first.json()).toMatchObject({ filled: 60, asked: 60, end: "done" });
  expectRight(folder, 60);
  expect(requests()).toBe(60);
  const again = await run(["fill", "log", "--spread", "--workers", "1", "--json"], folder);
  expect(again.json()).toMatchObject({ filled: 60, asked: 0, written: false });
  expect(requests()).toBe(60);
}, 120_000);

it("a worker whose files are not the planner's takes nothing, and says what differs, until they are", async () => {
  const folder = project(40);
  const elsewhere = path.join(tempFolder(), "copy");
  cpSync(folder, elsewhere, { recursive: true });
  const template = path.join(elsewhere, "templates", "sort.yaml");
  const right = readFileSync(template, "utf8");
  writeFileSync(template, right.replace("how bad is it?", "how bad was it?"));
  const worker = start(["work", "--json"], elsewhere);
  const planner = start(["fill", "log", "--spread", "--chunk", "10", "--json"], folder);
  await sleep(6_000);
  expect(host.asked.size).toBe(0);
  writeFileSync(template, right);
  expect((await planner.done).json()).toMatchObject({ filled: 40, asked: 40 });
  worker.child.kill("SIGTERM");
  const { out } = await worker.done;
  expect(out).toContain(`"differs":["the template sort of the step sort"]`);
  expect(out.match(/"type":"refused"/g)).toHaveLength(1);
}, 120_000);

it("stops softly: what is answered is kept, the rest is left for later", async () => {
  const folder = project();
  host.delayMs = 80;
  const planner = start(["fill", "log", "--spread", "--workers", "1", "--chunk", "20", "--json"], folder);
  while (host.asked.size < 25) await sleep(20);
  planner.child.kill("SIGINT");
  const stopped = await planner.done;
  host.delayMs = 25;
  expect(stopped.code).toBe(130);
  const kept = requests();
  expect(kept).toBeLessThan(ROWS);
  expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: ROWS, end: "done" });
  expectRight(folder, ROWS);
  expect(requests()).toBe(ROWS);
}, 120_000);

it("workers that a fill has started end when it is killed; the next fill goes on", async () => {
  const folder = project(120);
  host.delayMs = 60;
  const planner = start(["fill", "log", "--spread", "--workers", "2", "--chunk", "10", "--json"], folder);
  while (host.asked.size < 20) await sleep(20);
  const ofUs = async (): Promise<number> =>
    Number((await base.run(`SELECT count(*) AS n FROM spread_${schemas}.sessions WHERE seen > now() - interval '8 seconds'`))[0]!["n"]);
  expect(await ofUs()).toBe(3);
  planner.child.kill("SIGKILL");
  await planner.done;
  await expect.poll(ofUs).toBeLessThanOrEqual(1);
  await sleep(8_000);
  expect(await ofUs()).toBe(0);
  host.delayMs = 25;
  expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 120, end: "done" });
  expectRight(folder, 120);
  expect(requests()).toBe(120);
}, 120_000);

it.each([
  ["fill", ["fill", "log", "--spread"], /--spread: the ledger is in a file/],
  ["work", ["work"], /work: the ledger is in a file/],
  ["workers alone", ["fill", "log", "--workers", "2"], /--workers: workers take part in a fill that is spread/],
])("is refused in words where it cannot be: %s", async (_, args, message) => {
  const folder = smallProject(notesCsv(3));
  const ran = await run(args, folder, { YOROSHI_TEST_LEDGER: "" });
  expect(ran).toMatchObject({ code: 2, err: expect.stringMatching(message) });
});

it("is refused in words with a limit of rows, and where the database is away", async () => {
  const folder = project(10);
  expect((await run(["fill", "log", "--spread", "--rows", "5"], folder)).err).toMatch(/--spread: a limit of rows is kept by one process/);
  const file = path.join(folder, "yoroshi.yaml");
  writeFileSync(file, readFileSync(file, "utf8").replace(/postgresql:\/\/[^"]*/, "postgresql://nobody@127.0.0.1:1/none"));
  expect(await run(["fill", "log", "--spread"], folder)).toMatchObject({
    code: 3,
    err: expect.stringMatching(/The database main cannot be used/),
  });
});

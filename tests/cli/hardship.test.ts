import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import { standinServer, type FaultShares, type StandinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, removeTempFolders, run, smallProject, start } from "../helpers/cli.js";
import { killFills } from "../helpers/kills.js";
import { PLACES } from "../helpers/places.js";

let servers: StandinServer[] = [];
afterEach(async () => {
  await Promise.all(servers.map((server) => server.close()));
  servers = [];
});
afterAll(removeTempFolders);
const served = async (faults: FaultShares = {}, options = {}): Promise<StandinServer> => {
  const server = await standinServer({ faults, ...options });
  servers.push(server);
  return server;
};
const filled = (folder: string): string => readFileSync(path.join(folder, "log.filled.csv"), "utf8");
const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe("a fill that is killed", () => {
  it.each(PLACES)(
    "5 times at random moments, its table in %s, ends with every row right, and repeats at most what was in flight",
    async (kind) => {
      await killFills(5, kind);
      expect.hasAssertions();
    },
    1_200_000,
  );
});

describe("a fill under hardship", () => {
  it("stopped by Ctrl-C finishes what is in flight, writes it, says how to go on, and goes on", async () => {
    const server = await served({}, { latencyMs: 100 });
    const folder = smallProject(notesCsv(100), { endpoint: server.endpoint, atOnce: 5 });
    const { child, done } = start(["fill", "log", "--json"], folder);
    while (server.counts.requests < 10) await wait(5);
    child.kill("SIGINT");
    const stopped = await done;
    expect(stopped.code).toBe(130);
    const { asked, filled: kept, end } = stopped.json<{ asked: number; filled: number; end: string }>();
    expect([end, kept]).toEqual(["interrupted", asked]);
    expect(server.counts.requests).toBe(asked + 1); // the model was asked for a word first
    expect((parse(filled(folder), { columns: true }) as Record<string, string>[]).filter((row) => row["topic"] !== "")).toHaveLength(asked);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 100 - asked, reused: asked, filled: 100 });
  });

  it("keeps a second fill of the same plan out while it runs, and no longer than it lives", async () => {
    const server = await served({}, { latencyMs: 100 });
    const folder = smallProject(notesCsv(60), { endpoint: server.endpoint, atOnce: 2 });
    const first = start(["fill", "log", "--json"], folder);
    while (server.counts.requests < 4) await wait(5);
    const asked = server.counts.requests;
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 2,
      err: "error: The plan log is being filled by another process. Wait for it to end; another plan can be filled meanwhile.\n",
    });
    expect(server.counts.requests - asked).toBeLessThan(40);
    first.child.kill("SIGKILL");
    await first.done;
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 60, end: "done" });
  });

  it("never passes its spend cap with 50 at once, and says so", async () => {
    const server = await served({}, { latencyMs: 5 });
    const folder = smallProject(notesCsv(400), { endpoint: server.endpoint, atOnce: 50, model: ", limits: { atOnce: 50 }" });
    const capped = await run(["fill", "log", "--spend", "0.01", "--json"], folder);
    const report = capped.json<{ spent: number; unsure: number; asked: number; blank: number; end: string }>();
    expect(capped.code).toBe(1);
    expect(report.end).toBe("spendCap");
    expect(report.spent + report.unsure).toBeLessThanOrEqual(0.01);
    expect(report.asked).toBeGreaterThan(50);
    expect(report.asked + report.blank).toBe(400);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ end: "done", asked: report.blank, filled: 400 });
  });

  it("with one request in five going wrong ends in right cells or right reasons", async () => {
    const clean = smallProject(notesCsv(150), { endpoint: (await served()).endpoint });
    await run(["fill", "log"], clean);
    const right = new Map((parse(filled(clean), { columns: true }) as Record<string, string>[]).map((row) => [row["id"], row]));
    const server = await served(
      {
        server: 0.03,
        reset: 0.03,
        html: 0.02,
        errorInside: 0.02,
        fenced: 0.02,
        prose: 0.02,
        broken: 0.02,
        shouted: 0.01,
        wrongOption: 0.02,
        refusal: 0.01,
        hang: 0.005,
        cut: 0.01,
      },
      { seed: 7 },
    );
    const folder = smallProject(notesCsv(150), { endpoint: server.endpoint, model: ", timeoutSeconds: 5" });
    const ran = await run(["fill", "log", "--json"], folder);
    const report = ran.json<{ filled: number; failed: number }>();
    expect(report.filled + report.failed).toBe(150);
    expect(report.failed).toBeLessThan(15);
    expect(ran.code).toBe(report.failed > 0 ? 1 : 0);
    const { empty } = (await run(["status", "log", "--empty", "--json"], folder)).json<{ empty: { key: string; reason: string }[] }>();
    for (const row of parse(filled(folder), { columns: true }) as Record<string, string>[]) {
      if (row["topic"] === "") expect(empty.find((cell) => cell.key === row["id"])?.reason).toMatch(/refused|cut short|did not fit/);
      else expect(row).toEqual(right.get(row["id"]));
    }
  }, 600_000);

  it("with a wrong key stops at once with one message, and asks no more", async () => {
    const server = await served({}, { key: "right" });
    const folder = smallProject(notesCsv(100), { endpoint: server.endpoint, model: ", key: { env: YOROSHI_TEST_KEY }" });
    const ran = await run(["fill", "log"], folder, { YOROSHI_TEST_KEY: "wrong-key" });
    expect(ran.code).toBe(3);
    expect(ran.err).toMatch(/refused the key \(HTTP 401\)/);
    expect(ran.err.match(/error:/g)).toHaveLength(1);
    expect(ran.out + ran.err).not.toContain("wrong-key");
    expect(server.counts.requests).toBeLessThanOrEqual(8);
    // A program is told the figures of a run that its host ended, too.
    const told = await run(["fill", "log", "--json", "--no-probe"], folder, { YOROSHI_TEST_KEY: "wrong-key" });
    expect(told.code).toBe(3);
    expect(told.out.trim().split("\n")).toHaveLength(1);
    expect(told.json()).toMatchObject({
      plan: "log",
      end: "failed",
      problem: "unauthorised",
      filled: 0,
      error: { code: "modelUnauthorised" },
    });
    expect(await run(["fill", "log", "--json"], folder, { YOROSHI_TEST_KEY: "right" })).toMatchObject({ code: 0 });
  });

  it("with rows too long for the model asks nothing, and names them", async () => {
    const server = await served();
    const folder = smallProject(`id,note\na,${"smoke and oil ".repeat(120)}\nb,short\n`, {
      endpoint: server.endpoint,
      model: ", context: 1300",
    });
    const ran = await run(["fill", "log"], folder);
    expect(ran.code).toBe(2);
    expect(ran.err).toMatch(
      /1 row of the step sort would not fit the model standin-small, which has room for 1,300 tokens \(a\); the longest is a with about 1,\d\d\d/,
    );
    expect(server.counts.requests).toBeLessThanOrEqual(1);
    expect((await run(["fill", "log", "--where", 'row.id == "b"', "--json"], folder)).json()).toMatchObject({ filled: 1 });
  });

  it("whose output cannot be written keeps every answer", async () => {
    const server = await served({}, { latencyMs: 60 });
    const folder = smallProject(notesCsv(20), { endpoint: server.endpoint });
    const { done } = start(["fill", "log"], folder);
    while (server.counts.requests < 3) await wait(5);
    mkdirSync(path.join(folder, "log.filled.csv"));
    const ran = await done;
    expect(ran).toMatchObject({ code: 3, err: expect.stringContaining("log.filled.csv cannot be written") });
    const before = server.counts.requests;
    expect(await run(["fill", "log"], folder)).toMatchObject({
      code: 3,
      err: expect.stringContaining("log.filled.csv cannot be written: it is a folder"),
    });
    expect(server.counts.requests).toBe(before);
    rmSync(path.join(folder, "log.filled.csv"), { recursive: true });
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 0, filled: 20 });
  });

  it("whose table vanishes under way says so, keeps every answer, and goes on when it is back", async () => {
    const server = await served({}, { latencyMs: 50 });
    const folder = smallProject(notesCsv(60), { endpoint: server.endpoint });
    const { done } = start(["fill", "log"], folder);
    while (server.counts.requests < 10) await wait(5);
    rmSync(path.join(folder, "log.csv"));
    expect(await done).toMatchObject({ code: 2, err: expect.stringContaining("log.csv cannot be read: there is no such file") });
    const asked = server.counts.requests - 1; // the model was asked for a word first
    writeFileSync(path.join(folder, "log.csv"), notesCsv(60));
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 60, asked: 60 - asked });
  });

  it("stand-in command serves, and names faults it does not know", async () => {
    const { child, done } = start(["standin", "--latency", "1", "--fault", "fenced=1"], ".");
    const address = await new Promise<string>((resolve) => child.stdout!.once("data", (chunk: Buffer) => resolve(chunk.toString().trim())));
    const folder = smallProject(notesCsv(3), { endpoint: address });
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ filled: 3 });
    child.kill("SIGINT");
    expect((await done).code).toBe(0);
    expect(await run(["standin", "--fault", "bussy=1"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("Did you mean `busy`?"),
    });
  });
});

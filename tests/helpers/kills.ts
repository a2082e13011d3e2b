import { readFileSync } from "node:fs";
import path from "node:path";
import { expect } from "vitest";
import { standinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, run, smallProject, start } from "./cli.js";

const AT_ONCE = 10;
const ROWS = 240;
const KILLS_A_PROJECT = 4;

const filled = (folder: string): string => readFileSync(path.join(folder, "log.filled.csv"), "utf8");

/**
 * Kills fills with SIGKILL at random moments, then lets each end. Every row must be right, none out of place, the
 * source whole, and no more requests repeated than were in flight.
 */
export async function killFills(kills: number): Promise<void> {
  const clean = await standinServer();
  const expected = smallProject(notesCsv(ROWS), { endpoint: clean.endpoint });
  await run(["fill", "log"], expected);
  await clean.close();
  const right = filled(expected);
  let killedWhileAsking = 0;
  for (let killed = 0; killed < kills; ) {
    const server = await standinServer({ latencyMs: 25 });
    const folder = smallProject(notesCsv(ROWS), { endpoint: server.endpoint, atOnce: AT_ONCE });
    let here = 0;
    for (; here < KILLS_A_PROJECT && killed < kills; here++, killed++) {
      const asked = server.counts.requests;
      const { child, done } = start(["fill", "log"], folder);
      // From the first request on, so that the kill meets the work, not the start-up.
      while (server.counts.requests === asked && child.exitCode === null) await wait(5);
      await wait(Math.random() * 220);
      child.kill("SIGKILL");
      if ((await done).code === null) killedWhileAsking++;
    }
    const last = await run(["fill", "log", "--json"], folder);
    expect(last.json()).toMatchObject({ rows: ROWS, filled: ROWS, failed: 0 });
    expect(filled(folder)).toBe(right);
    expect(server.counts.requests).toBeLessThanOrEqual(ROWS + here * AT_ONCE);
    expect(readFileSync(path.join(folder, "log.csv"), "utf8")).toBe(notesCsv(ROWS));
    await server.close();
  }
  expect(killedWhileAsking).toBeGreaterThan(kills / 2);
}

function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}

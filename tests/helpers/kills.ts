import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { expect } from "vitest";
import { standinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, run, smallProject, start } from "./cli.js";
import { place, type Place, type PlaceKind } from "./places.js";

const AT_ONCE = 10;
const ROWS = 240;
const KILLS_A_PROJECT = 4;

const FILLED = ["topic", "level", "because"];

/** The small project, its rows in a table of this kind. */
async function projectAt(
  kind: PlaceKind,
  options: Parameters<typeof smallProject>[1],
): Promise<{ folder: string; one: Place; filled(): Promise<unknown> }> {
  const folder = smallProject(notesCsv(ROWS), options);
  const one = await place(kind, folder, "log.csv", "id");
  const edit = (file: string, change: (text: string) => string): void =>
    writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
  edit("plans/log.yaml", (text) => text.replace(/^table: .*$/m, `table: ${one.table}`));
  edit("yoroshi.yaml", (text) => text + one.project);
  const filled = async (): Promise<unknown> =>
    Object.fromEntries((await one.result()).map((row) => [row["id"], FILLED.map((column) => row[column])]));
  return { folder, one, filled };
}

/**
 * Kills fills with SIGKILL at random moments, then lets each end. Every row must be right, none out of place, the
 * source whole, and no more requests repeated than were in flight, whatever kind of table it is.
 */
export async function killFills(kills: number, kind: PlaceKind): Promise<void> {
  const clean = await standinServer();
  const expected = await projectAt("csv", { endpoint: clean.endpoint });
  await run(["fill", "log"], expected.folder);
  await clean.close();
  const right = await expected.filled();
  let killedWhileAsking = 0;
  for (let killed = 0; killed < kills;) {
    const server = await standinServer({ latencyMs: 25 });
    const { folder, one, filled } = await projectAt(kind, { endpoint: server.endpoint, atOnce: AT_ONCE });
    const source = await one.source();
    let here = 0;
    for (; here < KILLS_A_PROJECT && killed < kills; here++, killed++) {
      const asked = server.counts.requests;
      const { child, done } = start(["fill", "log", "--no-probe", ...one.options], folder);
      // From the first request on, so that the kill meets the work, not the start-up.
      while (server.counts.requests === asked && child.exitCode === null) await wait(5);
      await wait(Math.random() * 220);
      child.kill("SIGKILL");
      if ((await done).code === null) killedWhileAsking++;
    }
    const last = await run(["fill", "log", "--no-probe", "--json", ...one.options], folder);
    expect(last.json()).toMatchObject({ rows: ROWS, filled: ROWS, failed: 0 });
    expect(await filled()).toEqual(right);
    expect(server.counts.requests).toBeLessThanOrEqual(ROWS + here * AT_ONCE);
    expect(await one.source()).toEqual(source);
    await one.close();
    await server.close();
  }
  expect(killedWhileAsking).toBeGreaterThan(kills / 2);
}

function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}

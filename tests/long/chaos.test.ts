import { afterAll, expect, it } from "vitest";
import { chaos, countingHost } from "../helpers/chaos.js";
import { removeTempFolders } from "../helpers/cli.js";
import { postgresDatabase } from "../helpers/databases.js";

afterAll(removeTempFolders);

it("30,000 rows by four workers, through 16 kills, four freezes, two outages of the database and nine storms: each once, right, in its place", async () => {
  const base = await postgresDatabase();
  const host = await countingHost();
  try {
    const rows = 30_000;
    const { repeats, requests } = await chaos(base, host, "chaos", {
      fill: { rows, workers: 4, atOnce: 40, chunk: 100 },
      happens: { kills: 16, freezes: 4, outages: 2, storms: 9 },
    });
    console.info(`${requests} requests, ${repeats} of them repeats`);
    expect(repeats).toBeLessThanOrEqual(0.02 * requests);
  } finally {
    host.close();
    await base.close();
  }
});

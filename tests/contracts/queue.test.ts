import { expect, it } from "vitest";
import { bullmqQueue } from "../../src/adapters/bullmq-queue/index.js";
import { wayTo } from "../helpers/chaos.js";
import { postgresDatabase } from "../helpers/databases.js";

it("a queue whose database is away is left and closed all the same; what it held is for the ledger to know", async () => {
  const base = await postgresDatabase();
  const way = await wayTo((base.place as { url: string }).url);
  const notices: string[] = [];
  const queue = bullmqQueue({ name: "main", url: way.url, schema: "queue", onNotice: (text) => notices.push(text) });
  let taken = 0;
  const taking = await queue.take("r", 2, async () => void taken++);
  await queue.add([1, 2, 3].map((n) => ({ run: "r", n })));
  await expect.poll(() => taken, { timeout: 10_000 }).toBe(3);
  const away = way.cut(6_000);
  await queue.add([{ run: "r", n: 4 }]);
  expect(notices.join()).toMatch(/The queue in the database main cannot be reached/);
  await taking.stop();
  await queue.forget("r");
  await queue.close();
  expect(taken).toBe(3);
  await away;
  way.close();
  await base.close();
}, 90_000);

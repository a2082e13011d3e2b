import { afterEach, beforeEach, expect, it } from "vitest";
import { bullmqQueue } from "../../src/adapters/bullmq-queue/index.js";
import { wayTo, type Way } from "../helpers/chaos.js";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";

let base: TestDatabase;
let way: Way;
let notices: string[];
beforeEach(async () => {
  base = await postgresDatabase();
  way = await wayTo((base.place as { url: string }).url);
  notices = [];
});
afterEach(async () => {
  way.close();
  await base.close();
});
const open = () => bullmqQueue({ name: "main", url: way.url, schema: "queue", onNotice: (text) => notices.push(text) });

it("a queue whose database is away at first is there as soon as it answers, and nothing else waits meanwhile", async () => {
  const away = way.cut(3_000);
  const [planner, worker] = [open(), open()];
  let [turns, taken] = [0, 0];
  const counting = setInterval(() => turns++, 50);
  const taking = await worker.take("r", 2, async () => void taken++);
  await planner.add([{ run: "r", n: 1 }]);
  await away;
  clearInterval(counting);
  expect(turns).toBeGreaterThan(20);
  expect(notices).toHaveLength(2);
  await planner.add([{ run: "r", n: 1 }]);
  await expect.poll(() => taken, { timeout: 15_000 }).toBe(1);
  await taking.stop();
  await Promise.all([planner.close(), worker.close()]);
}, 60_000);

it("a queue that is left before its database has ever answered is left at once", async () => {
  const away = way.cut(2_000);
  const queue = open();
  const taking = await queue.take("r", 1, async () => undefined);
  await taking.stop();
  await queue.forget("r");
  await queue.close();
  await away;
}, 60_000);

it("a queue whose database is away is left and closed all the same; what it held is for the ledger to know", async () => {
  const queue = open();
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
}, 90_000);

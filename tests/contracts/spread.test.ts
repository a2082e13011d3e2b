import { describe, expect, it } from "vitest";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import {
  atOnce,
  CHUNK,
  chunkNames,
  differing,
  fill,
  marksOf,
  memoryLedger,
  memoryQueue,
  memoryTable,
  ModelFailure,
  outagesNow,
  placesOf,
  plan,
  prepare,
  readKept,
  SharedLimits,
  SharedOutages,
  SharedPlaces,
  SPREAD,
  SPREAD_NAMES,
  spreadOut,
  template,
  workChunk,
  workOf,
  type FillReport,
  type FillSetup,
  type Json,
  type Ledger,
  type Prepared,
  type WorkQueue,
} from "../../src/core/index.js";
import { steeredClock } from "../helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../helpers/models.js";

const tone = prepare(
  template({
    name: "tone",
    inputs: { note: { kind: "text" } },
    task: "{{ note }}",
    answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
  }),
) as unknown as Prepared;
const clock = systemClock();
const counting = (ms = 2): ScriptedModel =>
  scriptedModel(async (request) => {
    await new Promise((resolve) => setTimeout(resolve, ms));
    return JSON.stringify({ tone: fenced(request, "note").includes("!") ? "upset" : "calm" });
  });
const rows = (count: number) =>
  Array.from({ length: count }, (_, n) => ({
    id: `r${n}`,
    text: n % 10 === 9 ? "" : `note ${n % 40 === 7 ? 7 : n}${n % 3 === 0 ? "!" : ""}`,
  }));

function setupOf(ledger: Ledger, model: ScriptedModel, count = 100, limits: object = {}) {
  const table = memoryTable(rows(count), { key: "id" });
  const setup: FillSetup = {
    plan: plan({
      name: "tones",
      table: { file: "memory", key: "id" },
      steps: { tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone" } } },
      limits,
    }),
    asking: { tone: { prepared: tone, version: 1, model } },
    table,
    ledger,
    clock,
  };
  return { setup, table };
}

/** A worker as `yoroshi work` is one: takes part in whatever is spread. */
function workerOn(
  queue: WorkQueue,
  ledger: Ledger,
  setup: FillSetup,
  name: string,
  onChunk: (n: number) => Promise<void> | void = () => undefined,
  outages?: SharedOutages,
) {
  let isOver = false;
  const done: number[] = [];
  const going = (async () => {
    while (!isOver) {
      for (const [fact, kept] of await ledger.facts.find(SPREAD_NAMES)) {
        const spread = readKept(SPREAD, kept);
        if (!spread) continue;
        const run = fact.slice(SPREAD_NAMES.length);
        const taking = await queue.take(run, 2, async (chunk) => {
          await onChunk(chunk.n);
          if (await workChunk(chunk, { setup: { ...setup, ledger }, spread, worker: name, places: atOnce(4), outages })) done.push(chunk.n);
        });
        while (!isOver && (await ledger.facts.get(fact)) !== undefined) await clock.sleep(5);
        await taking.stop();
      }
      await clock.sleep(5);
    }
  })();
  return { done, stop: async () => ((isOver = true), await going) };
}

const spreading = (queue: WorkQueue, more: object = {}) => ({
  spread: (work: Parameters<NonNullable<Parameters<typeof fill>[1]>["spread"] & object>[0], run: string) =>
    spreadOut(work, run, { queue, marks: marksOf(work), options: {}, rows: 7, ...more }),
});

describe("a spread fill", () => {
  it("comes to what a fill alone comes to: the same cells, the same figures, nothing asked twice", async () => {
    const alone = { ledger: memoryLedger(), model: counting() };
    const { setup: aloneSetup, table: aloneTable } = setupOf(alone.ledger, alone.model);
    const expected = await fill(aloneSetup);
    const ledger = memoryLedger();
    const queue = memoryQueue();
    const model = counting();
    const { setup, table } = setupOf(ledger, model);
    const workers = ["one", "two"].map((name) => workerOn(queue, ledger, setup, name));
    const report = await fill(setup, spreading(queue));
    for (const worker of workers) await worker.stop();
    expect(table.rows).toEqual(aloneTable.rows);
    const figures = ({ rows: all, asked, filled, skipped, tokensIn, spent, end }: FillReport) => ({
      all,
      asked,
      filled,
      skipped,
      tokensIn,
      spent,
      end,
    });
    expect(figures(report)).toEqual(figures(expected));
    expect(model.requests.length).toBe(alone.model.requests.length);
    for (const { done } of workers) expect(done.length).toBeGreaterThan(0);
    // Nothing is left behind of the hand-out.
    expect([...(await ledger.facts.find(SPREAD_NAMES)), ...(await ledger.facts.find(chunkNames(report.run)))]).toEqual([]);
    expect((await ledger.runs.find("fill", "tones", 1))[0]).toMatchObject({ end: "done", tally: { asked: expected.asked } });
  });

  it("goes on where the queue forgets what it holds, and where a worker fails", async () => {
    const ledger = memoryLedger();
    const inner = memoryQueue();
    let [added, failed] = [0, 0];
    // Every third chunk is lost by the queue when it is first added.
    const queue: WorkQueue = { ...inner, add: async (chunks) => inner.add(chunks.length === 1 && ++added % 3 === 0 ? [] : chunks) };
    const model = counting();
    const { setup, table } = setupOf(ledger, model, 60);
    const worker = workerOn(queue, ledger, setup, "one", () => {
      if (failed++ < 2) throw new Error("the worker broke down");
    });
    const report = await fill(setup, spreading(queue));
    await worker.stop();
    expect(report).toMatchObject({ end: "done", failed: 0, blank: 0 });
    expect(table.rows.filter((row) => row["text"] !== "" && !row["tone"])).toEqual([]);
  }, 60_000);

  it("does by itself what nobody took, once it is told to stop waiting; what is answered stays", async () => {
    const ledger = memoryLedger();
    const stop = new AbortController();
    const { setup } = setupOf(ledger, counting(), 30);
    setTimeout(() => stop.abort(), 300);
    const report = await fill(setup, { ...spreading(memoryQueue(), { stop: stop.signal }), stop: stop.signal });
    expect(report).toMatchObject({ end: "interrupted", asked: 0 });
    expect(await fill(setup)).toMatchObject({ end: "done", blank: 0 });
  });

  it("never passes the run's cap, whoever asks", async () => {
    const ledger = memoryLedger();
    const queue = memoryQueue();
    let spent = 0;
    const model = scriptedModel(
      async (request) => {
        await new Promise((resolve) => setTimeout(resolve, 3));
        spent++;
        return {
          text: JSON.stringify({ tone: fenced(request, "note").includes("!") ? "upset" : "calm" }),
          usage: { tokensIn: 100, tokensOut: 10 },
        } as never;
      },
      { price: { input: 1, output: 1 } },
    );
    const { setup } = setupOf(ledger, model, 200, { spend: 0.05 });
    const workers = ["one", "two", "three"].map((name) => workerOn(queue, ledger, setup, name));
    const report = await fill(setup, spreading(queue, { options: { spendCap: 50_000 } }));
    for (const worker of workers) await worker.stop();
    const charged = await ledger.charges.since(0);
    expect(charged).toBeLessThanOrEqual(50_000);
    expect(charged).toBeGreaterThan(0);
    expect(report.spent).toBe(charged);
    expect(spent).toBe(report.asked);
  });

  it("knows files that are not the planner's by what differs", () => {
    const ledger = memoryLedger();
    const mine = marksOf(workOf(setupOf(ledger, counting()).setup));
    expect(differing(mine, marksOf(workOf(setupOf(ledger, counting()).setup)))).toEqual([]);
    const { setup } = setupOf(ledger, counting());
    const other = prepare(template({ ...tone.template, task: "Now: {{ note }}" } as never)) as unknown as Prepared;
    const theirs = marksOf(workOf({ ...setup, asking: { tone: { ...setup.asking["tone"]!, prepared: other } } }));
    expect(differing(theirs, mine)).toEqual(["the template tone of the step tone"]);
  });
});

it("a table is read as fast as its chunks are taken, however long it is", async () => {
  const ledger = memoryLedger();
  const { setup } = setupOf(ledger, counting(), 1);
  let read = 0;
  const table: FillSetup["table"] = {
    ...setup.table,
    async *read() {
      for (let n = 0; n < 500; n++) {
        read += 100;
        yield {
          rows: rows(100).map(({ text }, at) => ({
            key: `${n}-${at}`,
            place: "",
            values: { id: `${n}-${at}`, text: `${n} ${text || "x"}` },
          })),
          share: n / 500,
        };
      }
    },
  };
  const queue: WorkQueue = { ...memoryQueue(), add: async () => undefined };
  const stop = new AbortController();
  setTimeout(() => stop.abort(), 2_000);
  await spreadOut(workOf({ ...setup, table }), "r", { queue, marks: {}, options: {}, rows: 10, stop: stop.signal });
  // 64 chunks may be open; what is read ahead of them is some hundred rows, not the fifty thousand.
  expect(read).toBeLessThan(3_000);
  expect(read).toBeGreaterThan(600);
}, 60_000);

it("a chunk that another finished meanwhile is left alone", async () => {
  const ledger = memoryLedger();
  const { setup } = setupOf(ledger, counting());
  const spread = { plan: "tones", marks: {}, options: {}, state: "open", since: 0 } as const;
  const about = { setup, spread, worker: "one", places: atOnce(2) };
  expect(await workChunk({ run: "r", n: 1 }, about)).toBeUndefined();
  const record: Json = { format: 1, state: "done", rows: 1, times: 1, at: 0 };
  await ledger.facts.set("chunk:r:1", record);
  expect(await workChunk({ run: "r", n: 1 }, about)).toBeUndefined();
  expect(await ledger.facts.get("chunk:r:1")).toEqual(record);
});

describe("a worker that is told to stop does so, though it waits for", () => {
  const spread = { plan: "tones", marks: {}, options: {}, state: "open", since: 0 } as const;
  /** A chunk of three rows of which nothing can be asked; gives how it stands once the worker has stopped. */
  async function stopped(
    ledger: Ledger,
    { limits = {}, options = {}, ...more }: { limits?: object; options?: object } & Partial<Parameters<typeof workChunk>[1]>,
  ) {
    const model = scriptedModel(() => JSON.stringify({ tone: "calm" }), { limits });
    const { setup } = setupOf(ledger, model);
    const kept = rows(3).map(({ id, text }, n) => ({ key: id, place: `row ${n}`, values: { id, text } }));
    await ledger.facts.set("chunk-rows:r:1", kept);
    await ledger.facts.set("chunk:r:1", { format: 1, state: "waiting", rows: 3, times: 0, at: 0 });
    placesOf(model, clock)?.resize(0);
    const stop = new AbortController();
    const about = { setup, spread: { ...spread, options }, worker: "one", places: atOnce(2), ...more, stop: stop.signal };
    const working = workChunk({ run: "r", n: 1 }, about);
    await clock.sleep(300);
    expect(model.requests).toHaveLength(0);
    stop.abort();
    await Promise.race([working, clock.sleep(5_000).then(() => Promise.reject(new Error("it waits")))]);
    return readKept(CHUNK, await ledger.facts.get("chunk:r:1"))?.state;
  }

  it("a place, all of which others have", async () => {
    expect(await stopped(memoryLedger(), { places: atOnce(0) })).toBe("waiting");
  });

  it("a place of its model's", async () => {
    expect(await stopped(memoryLedger(), { limits: { atOnce: 2 } })).toBe("waiting");
  });

  it("the word that a host is back", async () => {
    const ledger = memoryLedger();
    new SharedOutages(ledger, clock).tell("here", "out of order");
    const outages = new SharedOutages(ledger, clock);
    await clock.sleep(5);
    await outages.look();
    expect(await stopped(ledger, { outages })).toBe("waiting");
  });

  it("room below a cap, which others hold", async () => {
    const ledger = memoryLedger();
    await ledger.charges.reserve({
      holder: "x",
      needs: 4_000,
      wants: 4_000,
      cap: 4_000,
      since: 0,
      run: "r",
      until: Infinity,
      now: clock.now(),
    });
    expect(await stopped(ledger, { options: { spendCap: 4_000 } })).toBe("waiting");
  });
});

describe("what workers share", () => {
  it("places: never more at once than the limit, all of it in use, whoever comes and goes", async () => {
    const { leases } = memoryLedger();
    const limit = 7;
    const workers: { places: ReturnType<typeof atOnce>; shared: SharedPlaces }[] = [];
    let [running, most] = [0, 0];
    const isOver = new AbortController();
    const join = (): void => {
      const places = atOnce(3);
      workers.push({ places, shared: new SharedPlaces(leases, clock, places, "plan log", limit) });
      void (async () => {
        while (!isOver.signal.aborted)
          await places.start(async () => {
            most = Math.max(most, ++running);
            await clock.sleep(4);
            running--;
          });
      })();
    };
    const rounds = async (count: number): Promise<void> => {
      for (let n = 0; n < count; n++) {
        await Promise.all(workers.map(({ shared }) => shared.share(workers.length)));
        await clock.sleep(10);
      }
    };
    join();
    await rounds(3);
    expect(running).toBe(limit);
    join();
    join();
    await rounds(6);
    expect(running).toBe(limit);
    for (const { places } of workers) expect([1, 2, 3]).toContain(places.running);
    const leaver = workers.shift()!;
    leaver.places.resize(0);
    await leaver.places.idle();
    await leaver.shared.end(0);
    await rounds(6);
    expect(running).toBe(limit);
    expect(most).toBe(limit);
    isOver.abort();
    await rounds(1);
  });

  it("a limit of a plan, and what hosts allow: by those who name it, and as before once one is alone again", async () => {
    const ledger = memoryLedger();
    const model = scriptedModel(() => JSON.stringify({ tone: "calm" }), { limits: { atOnce: 6, requestsPerMinute: 60 } });
    const { setup } = setupOf(ledger, model, 10, { atOnce: 4 });
    const [one, two] = [new SharedLimits(ledger, clock), new SharedLimits(ledger, clock)];
    const [mine, theirs] = [one.join(setup), two.join(setup)];
    // Also of a second run, which begins while the first is being left.
    expect(one.join(setup)).toBe(mine);
    const record = (limits: SharedLimits) => ({ seen: 0, host: "h", process: 1, chunks: 0, asked: 0, pace: 0, shares: limits.names });
    const places = (of: ReturnType<typeof atOnce>): number => {
      let begun = 0;
      for (let n = 0; n < 10; n++) void of.start(async () => new Promise(() => void begun++));
      return begun;
    };
    for (let n = 0; n < 3; n++) {
      await one.share([record(two)]);
      await two.share([record(one)]);
    }
    expect([places(mine), places(theirs)]).toEqual([2, 2]);
    expect(one.names).toEqual([`model ${model.id} of ${model.host}`, "plan tones"]);
    await one.leave("tones");
    expect(one.names).toEqual([]);
    await two.share([record(one)]);
    expect(theirs.running).toBe(4);
  });

  it("the word that a host is down: one looks whether it is back, all others wait, and go on", async () => {
    const ledger = memoryLedger();
    let isDown = false;
    let [whileDown, late, answered, since] = [0, 0, 0, 0];
    const model = scriptedModel(async () => {
      await clock.sleep(2);
      if (isDown) {
        if (clock.now() - since > 800) late++;
        whileDown++;
        throw new ModelFailure("server", "out of order");
      }
      answered++;
      return JSON.stringify({ tone: "calm" });
    });
    const queue = memoryQueue();
    const { setup } = setupOf(ledger, model, 400);
    const told: (string | undefined)[] = [];
    const outages = ["one", "two", "three"].map(() => new SharedOutages(ledger, clock));
    const looking = setInterval(() => void Promise.all(outages.map((one) => one.look())), 20);
    const workers = outages.map((one, n) => workerOn(queue, ledger, setup, `w${n}`, undefined, one));
    setTimeout(() => ((isDown = true), (since = clock.now())), 100);
    setTimeout(() => (isDown = false), 2_300);
    const report = await fill(setup, spreading(queue, { onHost: (_: string, why: string | undefined) => told.push(why) }));
    clearInterval(looking);
    for (const worker of workers) await worker.stop();
    expect(report).toMatchObject({ end: "done", failed: 0, blank: 0 });
    expect(told).toEqual(["out of order", undefined]);
    // Those that were under way, and what it took to be sure; then one looks, after a second and after three; six alone: six times.
    expect(whileDown).toBeGreaterThan(8);
    expect(late).toBeLessThan(5);
    expect(answered).toBe(report.asked);
    expect(await outagesNow(ledger, clock)).toEqual([]);
  }, 30_000);

  it("nobody waits for the word of whoever is gone", async () => {
    const ledger = memoryLedger();
    const steered = steeredClock(0);
    const [one, two] = [new SharedOutages(ledger, steered), new SharedOutages(ledger, steered)];
    one.tell("http://far", "no route");
    await expect.poll(async () => (await outagesNow(ledger, steered)).length).toBe(1);
    await two.look();
    expect([one.downSince("http://far"), two.downSince("http://far"), two.downSince("http://near")]).toEqual([0, 0, undefined]);
    steered.advance(46_000);
    await Promise.all([one.look(), two.look()]);
    expect([one.downSince("http://far"), two.downSince("http://far")]).toEqual([undefined, undefined]);
  });
});

it("a chunk that no worker can finish ends the hand-out, and the fill says why", async () => {
  const ledger = memoryLedger();
  const queue = memoryQueue();
  const model = scriptedModel(() => {
    throw new ModelFailure("rejected", "the key is not valid", { status: 401 });
  });
  const { setup } = setupOf(ledger, model, 30);
  const worker = workerOn(queue, ledger, setup, "one", () => clock.sleep(5));
  const report = await fill(setup, spreading(queue));
  await worker.stop();
  expect(report).toMatchObject({ end: "failed", asked: 0, error: { message: "the key is not valid" } });
}, 60_000);

it("a host that stays down for longer than the patience with it ends the hand-out, and the fill says why", async () => {
  const ledger = memoryLedger();
  const queue = memoryQueue();
  const model = scriptedModel(
    () => {
      throw new ModelFailure("server", "out of order");
    },
    { limits: { patienceMs: 2_500 } },
  );
  const { setup } = setupOf(ledger, model, 60);
  const outages = new SharedOutages(ledger, clock);
  const looking = setInterval(() => void outages.look(), 50);
  const worker = workerOn(queue, ledger, setup, "one", () => clock.sleep(5), outages);
  const told: (string | undefined)[] = [];
  const report = await fill(setup, spreading(queue, { onHost: (_: string, why: string | undefined) => told.push(why) }));
  clearInterval(looking);
  await outages.end();
  await worker.stop();
  expect(report).toMatchObject({ end: "failed", asked: 0, error: { kind: "gone" } });
  expect(told[0]).toBe("out of order");
}, 60_000);

it("chunks of a table that takes some rows without the others are written as they are done", async () => {
  const ledger = memoryLedger();
  const queue = memoryQueue();
  const model = counting(200);
  const { setup, table } = setupOf(ledger, model, 60);
  const worker = workerOn(queue, ledger, setup, "one");
  const seen = new Set<number>();
  const looking = setInterval(() => seen.add(table.rows.filter((row) => row["tone"]).length), 10);
  // A person's word in a row that is not written yet stands.
  setTimeout(() => (table.rows[50]!["tone"] = "mine"), 100);
  const report = await fill(setup, spreading(queue));
  clearInterval(looking);
  await worker.stop();
  expect(report).toMatchObject({ end: "done", newEdits: 1 });
  expect(table.rows[50]!["tone"]).toBe("mine");
  expect([...seen].filter((filled) => filled > 1 && filled < 50).length).toBeGreaterThan(0);
});

it("what a process was about to write is not written once it has lost the table to another", async () => {
  const inner = memoryLedger();
  let isCutOff = false;
  const leases: Ledger["leases"] = {
    ...inner.leases,
    mayHaveLost: () => isCutOff,
    take: async (names, about) => (isCutOff ? names.map(() => false) : inner.leases.take(names, about)),
  };
  const { setup, table } = setupOf({ ...inner, leases }, counting(), 10);
  const slow = {
    ...setup,
    table: {
      ...table,
      write: (...about: Parameters<typeof table.write>) => {
        isCutOff = true;
        return table.write(...about);
      },
    },
  };
  await expect(fill(slow)).rejects.toMatchObject({ code: "planBusy" });
  expect(table.rows.filter((row) => row["tone"])).toEqual([]);
  isCutOff = false;
  expect(await fill(setup)).toMatchObject({ end: "done", asked: 0, filled: 9 });
});

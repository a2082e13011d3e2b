// What binds a spread fill as workers become more. A simulation, event by event, seeded; and what it rests on, measured on this machine.
// Usage: node bench/scale.mjs simulate            the tables of docs/scale.md
//        node bench/scale.mjs measure FOLDER ADDRESS   the figures, and whether the simulation foretells 1, 2 and 4 workers
import { availableParallelism } from "node:os";

/** Measured on two processors that server, database, planner and workers share (`measure`). Milliseconds, and things a second. */
export const MEASURED = {
  workerMs: 0.88,
  plannerMs: 0.43,
  restMs: 0.61,
  answersASecond: 7_500,
  commitMs: 19,
  chunksASecond: 1_000,
  planRowsASecond: 11_900,
  queryMs: 0.38,
  recordMs: 0.0022,
};

/** Queries of each worker a second that look what there is to do and who else is there, and that say that it is. */
const LOOKS = 4;
/** How often a worker looks: seldomer where there are many (`jobs/work-on`). */
const [LOOK_MS, LOOK_MS_A_WORKER, LONGEST_LOOK_MS] = [1_000, 20, 10_000];
const TOLD = 2 / 3;
const CHUNKS_IN_HAND = 2;
/** Counted: ten for a worker and its planner together. */
const CONNECTIONS_A_WORKER = 5;

function seeded(seed) {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** Events in order of time. */
class Agenda {
  #heap = [];
  get size() {
    return this.#heap.length;
  }
  add(at, what) {
    const heap = this.#heap;
    heap.push({ at, what });
    for (let child = heap.length - 1; child > 0;) {
      const parent = (child - 1) >> 1;
      if (heap[parent].at <= heap[child].at) break;
      [heap[parent], heap[child]] = [heap[child], heap[parent]];
      child = parent;
    }
  }
  next() {
    const heap = this.#heap;
    const first = heap[0];
    const last = heap.pop();
    if (heap.length > 0) {
      heap[0] = last;
      for (let parent = 0; ;) {
        let least = 2 * parent + 1;
        if (least >= heap.length) break;
        if (least + 1 < heap.length && heap[least + 1].at < heap[least].at) least++;
        if (heap[parent].at <= heap[least].at) break;
        [heap[parent], heap[least]] = [heap[least], heap[parent]];
        parent = least;
      }
    }
    return first;
  }
}

/** Something that does one piece of work after the other, on so many hands. */
class Server {
  constructor(hands) {
    this.free = new Float64Array(hands);
    this.busy = 0;
  }
  /** When work that comes at a moment is done. */
  done(at, ms) {
    let least = 0;
    for (let n = 1; n < this.free.length; n++) if (this.free[n] < this.free[least]) least = n;
    this.free[least] = Math.max(at, this.free[least]) + ms;
    this.busy += ms;
    return this.free[least];
  }
}

/** What is taken where a run does not say otherwise. */
const USUAL = {
  atOnce: 50,
  latencyMs: 200,
  chunk: 200,
  hostASecond: Infinity,
  ledgers: 1,
  queues: 1,
  planners: 1,
  seconds: 20,
  seed: 1,
  measured: MEASURED,
};

/**
 * Rows a second that workers come to, after a run-up. Several workers are one in the simulation where they are many; what is one event
 * then stands for as many rows.
 *
 * @param cores where all share one machine; left out, every worker has a processor of its own, and so have ledger and planner.
 */
export function simulate(of) {
  const { workers, atOnce, latencyMs, chunk, hostASecond, ledgers, queues, planners, lookEveryMs, cores, seconds, seed, measured } = {
    ...USUAL,
    ...of,
  };
  const random = seeded(seed);
  const together = Math.max(1, Math.ceil(workers / 50));
  const groups = Math.ceil(workers / together);
  const rows = workers / groups;
  const machine = cores === undefined ? undefined : new Server(cores);
  const hands = Array.from({ length: groups }, () => machine ?? new Server(1));
  // All that everybody asks of the ledger to see what there is to do leaves less of it for answers.
  const looks = looksOf({ workers, ledgers, lookEveryMs, measured });
  const leftOfLedger = Math.max(0, ledgers - looks) / ledgers;
  const ledger = machine ? undefined : new Server(1);
  const answerMs = leftOfLedger === 0 ? Infinity : 1_000 / (measured.answersASecond * ledgers * leftOfLedger);
  const queue = new Server(1);
  const planner = new Server(1);
  const agenda = new Agenda();
  let [hostFree, done] = [0, 0];
  const [from, to] = [(seconds * 1_000) / 3, seconds * 1_000];
  const lefts = new Float64Array(groups);
  /** When a group has its next chunk: planned, and handed out. */
  const nextChunk = (group, at) => {
    const pieces = rows;
    const planned = machine ? at : planner.done(at, (chunk * pieces * 1_000) / (measured.planRowsASecond * planners));
    lefts[group] += chunk;
    return queue.done(planned, (pieces * 1_000) / (measured.chunksASecond * queues));
  };
  const ready = new Float64Array(groups);
  const begin = (group, at) => {
    // The next chunk is fetched while one is in hand.
    if (lefts[group] < chunk * (CHUNKS_IN_HAND - 1)) ready[group] = nextChunk(group, at);
    lefts[group]--;
    agenda.add(Math.max(at, lefts[group] < 0 ? ready[group] : at), { group, step: "work" });
  };
  for (let group = 0; group < groups; group++) {
    ready[group] = nextChunk(group, 0);
    for (let place = 0; place < atOnce; place++) agenda.add(ready[group] + random() * latencyMs, { group, step: "work" });
  }
  while (agenda.size > 0) {
    const { at, what } = agenda.next();
    if (at > to) break;
    const { group, step } = what;
    if (step === "work") {
      const sent = hands[group].done(at, measured.workerMs);
      hostFree = Math.max(hostFree, sent) + (rows * 1_000) / hostASecond;
      const start = hostASecond === Infinity ? sent : hostFree;
      // Most answers come in time, some take long.
      const latency = latencyMs * (0.9 + 0.2 * random());
      agenda.add(start + latency, { group, step: "record" });
    } else {
      const recorded =
        (machine ? machine.done(at, measured.restMs + measured.plannerMs) : ledger.done(at, answerMs * rows)) + measured.commitMs;
      if (recorded >= from && recorded <= to) done += rows;
      if (Number.isFinite(recorded)) begin(group, recorded);
    }
  }
  const took = (to - from) / 1_000;
  return { rowsASecond: done / took, looks };
}

/** How much of a ledger is taken by looks, of as many ledgers as there are; each has its own workers. */
function looksOf({ workers, ledgers, lookEveryMs, measured }) {
  const among = workers / ledgers;
  const everyMs = lookEveryMs ?? Math.min(LONGEST_LOOK_MS, Math.max(LOOK_MS, LOOK_MS_A_WORKER * among));
  const queries = among * ((LOOKS * 1_000) / everyMs + TOLD) * measured.queryMs;
  const records = among * among * (1_000 / everyMs) * measured.recordMs;
  return (ledgers * (queries + records)) / 1_000;
}

/** The ceilings that a run meets, in rows a second. */
export function ceilings(of) {
  const { workers, atOnce, latencyMs, chunk, hostASecond, ledgers, queues, planners, lookEveryMs, measured } = { ...USUAL, ...of };
  const looks = looksOf({ workers, ledgers, lookEveryMs, measured });
  return {
    workers: workers * Math.min((atOnce * 1_000) / (latencyMs + measured.commitMs), 1_000 / measured.workerMs),
    host: hostASecond,
    ledger: measured.answersASecond * Math.max(0, ledgers - looks),
    queue: measured.chunksASecond * queues * chunk,
    planner: measured.planRowsASecond * planners,
  };
}

const digits = (number) => Math.round(number).toLocaleString("en-US");
function time(seconds) {
  if (!Number.isFinite(seconds)) return "never";
  if (seconds >= 2 * 86_400) return `${digits(seconds / 86_400)} days`;
  return seconds >= 2 * 3_600 ? `${digits(seconds / 3_600)} hours` : `${digits(seconds / 60)} minutes`;
}

function table(title, about) {
  console.log(
    `\n### ${title}\n\n| workers | rows a second | binds | 10^9 rows | connections | looks' share of a ledger |\n|--:|--:|---|--:|--:|--:|`,
  );
  for (const workers of [1, 10, 100, 1_000, 10_000]) {
    const given = { workers, ...(typeof about === "function" ? about(workers) : about) };
    const { rowsASecond, looks } = simulate(given);
    const share = looks / (given.ledgers ?? 1);
    const binding = Object.entries(ceilings(given)).sort(([, a], [, b]) => a - b)[0][0];
    console.log(
      `| ${digits(workers)} | ${digits(rowsASecond)} | ${binding} | ${time(10 ** 9 / rowsASecond)} | ${digits(workers * CONNECTIONS_A_WORKER)} | ${share < 0.01 ? "below 1 %" : `${digits(share * 100)} %`} |`,
    );
  }
}

async function measure(root, url) {
  const { answering, filled } = await import("./spread-kit.mjs");
  const cores = availableParallelism();
  const own = await ownFigures(root, url);
  const server = await answering(200);
  const runs = [];
  for (const workers of [1, 2, 4])
    runs.push({ workers, ...(await filled(root, server, { workers, atOnce: 50, rows: 6_000 * workers, url })) });
  server.close();
  const [one] = runs;
  const measured = {
    ...MEASURED,
    ...own,
    workerMs: (one.cpuOfHands / one.rows) * 1_000,
    plannerMs: ((one.cpu - one.cpuOfHands) / one.rows) * 1_000,
    restMs: ((one.busy - one.cpu) / one.rows) * 1_000,
  };
  // The wait for a commit is what one worker's pace leaves to be explained.
  measured.commitMs = Math.max(0, (50 * 1_000) / one.steady - 200 - measured.workerMs);
  const told = runs.map(({ workers, steady }) => {
    const { rowsASecond } = simulate({ workers, cores, measured });
    return { workers, measured: steady, foretold: rowsASecond, off: rowsASecond / steady - 1 };
  });
  console.log(JSON.stringify({ cores, measured, told }));
}

/** Chunks that the queue hands out a second, rows that a fill goes through a second, and what a worker's looks cost the database. */
async function ownFigures(root, url) {
  const { openDatabase, plainSql, postgresLedger } = await import("../dist/node.js");
  const { bullmqQueue } = await import("../dist/adapters/bullmq-queue/index.js");
  const { systemClock } = await import("../dist/index.js");
  const { answering, busySeconds, command, project } = await import("./spread-kit.mjs");
  const schema = `bench_queue_${process.pid}`;
  const queue = bullmqQueue({ name: "main", url, schema });
  const many = 2_000;
  await queue.add(Array.from({ length: many }, (_, n) => ({ run: "r", n })));
  let taken = 0;
  let began = performance.now();
  const takings = await Promise.all([1, 2, 3, 4].map(() => queue.take("r", 2, async () => void taken++)));
  while (taken < many) await new Promise((resolve) => setTimeout(resolve, 5));
  const chunksASecond = (many * 1_000) / (performance.now() - began);
  await Promise.all(takings.map((taking) => taking.stop()));
  await queue.forget("r");
  await queue.close();
  const clock = systemClock();
  const ledger = postgresLedger(plainSql(await openDatabase({ name: "main", url, clock })), { schema: `${schema}_ledger`, clock });
  const record = {
    format: 1,
    seen: 1,
    host: "h",
    process: 1,
    chunks: 10,
    asked: 100,
    pace: 100,
    shares: ["model m of http://host", "plan log"],
  };
  const timed = async (count) => {
    for (let n = 0; n < count; n++) await ledger.facts.set(`worker:${count}:${n}`, record);
    const before = busySeconds();
    for (let n = 0; n < 500; n++) await ledger.facts.find(`worker:${count}:`);
    return ((busySeconds() - before) * 1_000) / 500;
  };
  const [none, some] = [await timed(0), await timed(1_000)];
  await ledger.close();
  const server = await answering(0);
  const rows = 20_000;
  const { folder } = project(root, { endpoint: server.endpoint, rows, url, atOnce: 100 });
  await command(folder, ["fill", "log", "--json"]).done;
  began = performance.now();
  await command(folder, ["fill", "log", "--json", "--refill", "failed"]).done;
  const planRowsASecond = rows / ((performance.now() - began) / 1_000);
  server.close();
  return { chunksASecond, queryMs: none, recordMs: (some - none) / 1_000, planRowsASecond };
}

const [, , what, root, url] = process.argv;
if (what === "measure") await measure(root, url);
else if (what === "simulate") {
  table("As it is: one ledger, one queue, one planner; a host without a limit", {});
  table("A host that allows 60,000 requests a minute", { hostASecond: 1_000 });
  table("16 partitions of the ledger, each with a queue, a planner and workers of its own, from 100 workers on", (workers) =>
    workers >= 100 ? { ledgers: 16, queues: 16, planners: 16 } : {},
  );
  table("256 partitions, from 1,000 workers on", (workers) =>
    workers >= 1_000 ? { ledgers: 256, queues: 256, planners: 256 } : workers >= 100 ? { ledgers: 16, queues: 16, planners: 16 } : {},
  );
} else console.log("node bench/scale.mjs simulate | measure FOLDER ADDRESS");

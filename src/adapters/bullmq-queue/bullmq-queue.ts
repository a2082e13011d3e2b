import { setTimeout as sleep } from "node:timers/promises";
import type * as Bullmq from "bullmq";
import { isYoroshiError, YoroshiError, type ChunkName, type WorkQueue } from "../../core/index.js";

export interface BullmqQueueOptions {
  /** What messages call the database. */
  readonly name: string;
  /** `postgresql://…` */
  readonly url: string;
  /** The schema that is the queue's own; made where there is none. */
  readonly schema: string;
  /** Told when the queue cannot be reached, and again when it can. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

/**
 * A chunk whose worker says nothing for so long is handed out again. Locks are renewed at half of it; a worker that is frozen for longer
 * loses its chunk, and what it does afterwards comes too late.
 */
const LOCK_MS = 12_000;
const LOOK_FOR_LOST_MS = 4_000;
/** How often a chunk may be lost: workers that die are no fault of a chunk's. */
const MOST_LOST = 1_000;
/** How long a chunk waits that could not be finished; and how long it is until a database that was away is tried again. */
const AGAIN_MS = 1_000;
const CONNECT_MS = 10_000;

/** What of the library's queues and workers is used; their own types know a backend by its class. */
interface LibraryQueue {
  waitUntilReady(): Promise<unknown>;
  addBulk(jobs: readonly { name: string; data: unknown; opts: { jobId: string } }[]): Promise<unknown>;
  obliterate(options: { force: boolean }): Promise<unknown>;
  close(): Promise<unknown>;
  on(event: "error", heard: (error: Error) => void): unknown;
}
type LibraryWorker = Pick<LibraryQueue, "waitUntilReady" | "close" | "on"> & { run(): Promise<unknown> };

/** The queue on BullMQ, in a schema of a PostgreSQL database. Loaded when first needed. */
export function bullmqQueue({ name, url, schema, onNotice = () => undefined }: BullmqQueueOptions): WorkQueue {
  const connection = {
    connectionString: url,
    schema,
    application_name: "yoroshi-queue",
    connectionTimeoutMillis: CONNECT_MS,
    migrate: true,
  };
  let loading: Promise<Pick<typeof Bullmq, "createPostgresBackend" | "withBackend">> | undefined;
  const classes = async () => {
    const { createPostgresBackend, withBackend } = await (loading ??= import("bullmq").catch((error: unknown) => {
      throw new YoroshiError(
        "databaseUnusable",
        { database: name, problem: "its queue needs a package: npm install bullmq" },
        { cause: error },
      );
    }));
    return withBackend(createPostgresBackend);
  };
  const queues = new Map<string, Promise<LibraryQueue>>();
  let isAway = false;
  const heard = (error: Error): void => {
    if (isAway) return;
    isAway = true;
    onNotice(`The queue in the database ${name} cannot be reached (${error.message.split("\n")[0]}); it is tried again.`);
  };
  const queueOf = (run: string): Promise<LibraryQueue> => {
    let queue = queues.get(run);
    if (!queue) {
      queue = classes().then(({ Queue: Of }) => {
        const made = new Of(queueName(run), { connection, defaultJobOptions: JOB }) as unknown as LibraryQueue; // as above
        return ready(made, heard);
      });
      queues.set(run, queue);
      queue.catch(() => queues.delete(run));
    }
    return queue;
  };
  const stops = new Set<() => Promise<void>>();
  return {
    async add(chunks) {
      const [first] = chunks;
      if (!first) return;
      try {
        const queue = await queueOf(first.run);
        await queue.addBulk(chunks.map(({ n }) => ({ name: "chunk", data: { n }, opts: { jobId: `c${n}` } })));
        isAway = false;
      } catch (error) {
        if (isYoroshiError(error)) throw error;
        // What the queue does not take now is added again: the ledger knows that it is to be done.
        heard(error as Error);
      }
    },
    async take(run, atOnce, take) {
      const { Worker: Of } = await classes();
      const inHand = new Set<Promise<void>>();
      const make = () =>
        new Of<{ n: number }>(
          queueName(run),
          async (job) => {
            isAway = false;
            const taken = take({ run, n: job.data.n });
            const settled = taken.catch(() => undefined).finally(() => inHand.delete(settled));
            inHand.add(settled);
            await taken;
          },
          {
            connection,
            autorun: false,
            runRetryDelay: AGAIN_MS,
            concurrency: atOnce,
            lockDuration: LOCK_MS,
            stalledInterval: LOOK_FOR_LOST_MS,
            maxStalledCount: MOST_LOST,
            removeOnComplete: { count: 0 },
            removeOnFail: { count: 0 },
          },
        ) as unknown as LibraryWorker; // as above
      const end = new AbortController();
      const beginning = begun(make, heard, end.signal);
      const stop = async (): Promise<void> => {
        stops.delete(stop);
        end.abort();
        const closing = beginning.then((worker) => worker?.close());
        await Promise.all(inHand);
        await inTime(closing);
      };
      stops.add(stop);
      return { stop };
    },
    async forget(run) {
      const queue = await queueOf(run).catch(() => undefined);
      queues.delete(run);
      // What stays in it of a run that is over is taken by nobody.
      await inTime(queue?.obliterate({ force: true }));
      await inTime(queue?.close());
    },
    async close() {
      await Promise.all([...stops].map((stop) => stop()));
      for (const queue of queues.values()) await inTime((await queue.catch(() => undefined))?.close());
    },
  };
}

/**
 * A queue or worker once its database has answered. Where it does not, the library would remember that for ever, and its workers would
 * try again without a pause, so that nothing else in the process comes to its turn: this one is given up, and another may be made.
 */
async function ready<T extends Pick<LibraryQueue, "waitUntilReady" | "close" | "on">>(made: T, heard: (error: Error) => void): Promise<T> {
  made.on("error", heard);
  try {
    await made.waitUntilReady();
    return made;
  } catch (error) {
    void inTime(made.close());
    throw error;
  }
}

/** A worker at work, as soon as the database can be reached; none where it is told to end before. */
async function begun(make: () => LibraryWorker, heard: (error: Error) => void, end: AbortSignal): Promise<LibraryWorker | undefined> {
  while (!end.aborted) {
    try {
      const worker = await ready(make(), heard);
      if (!end.aborted) worker.run().catch(heard);
      return worker;
    } catch (error) {
      heard(error as Error);
      await sleep(AGAIN_MS, undefined, { signal: end }).catch(() => undefined);
    }
  }
  return undefined;
}

/** After the database was away the library may wait without end for an answer that is lost; nothing of ours rests on it. */
const CLOSING_MS = 3_000;

async function inTime(closing: Promise<unknown> | undefined): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<void>((resolve) => (timer = setTimeout(resolve, CLOSING_MS)));
  await Promise.race([closing?.catch(() => undefined), late]);
  clearTimeout(timer);
}

const JOB = { attempts: 1_000, backoff: { type: "fixed", delay: AGAIN_MS }, removeOnComplete: true, removeOnFail: true };

const queueName = (run: ChunkName["run"]): string => `fill-${run}`;

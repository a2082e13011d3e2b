import { hostname } from "node:os";
import * as z from "zod";
import {
  differing,
  keep,
  marksOf,
  readKept,
  SharedLimits,
  SharedOutages,
  SPREAD,
  SPREAD_NAMES,
  workChunk,
  WORKER,
  WORKER_NAMES,
  workOf,
  YoroshiError,
  type AtOnce,
  type FillSetup,
  type SpreadRecord,
  type Taking,
  type WorkerRecord,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob, type JobContext } from "./job.js";
import { knownError } from "./known-error.js";
import { count } from "./schemas.js";
import { workersOf } from "./workers-seen.js";

/** How often it is looked what there is to do, and how often a worker says that it is there. */
const LOOK_MS = 1_000;
const TELL_MS = 3_000;
/** Where many work they look seldomer, for each of them reads of all others. */
const LOOK_MS_A_WORKER = 20;
const LONGEST_LOOK_MS = 10_000;
/** Chunks in hand: while the last rows of one are under way, the next has begun. */
const CHUNKS_AT_ONCE = 2;
const MINUTE_MS = 60_000;
/** How long nothing is taken of a fill of which a chunk could not be finished here. */
const REST_MS = 15_000;

const input = z.strictObject({
  /** Only fills of these plans. Default: all. */
  plans: z.array(z.string()).optional(),
  /** Ends once nothing is left to do, after having done something. Default: goes on until it is stopped. */
  untilDone: z.boolean().optional(),
  /** Most requests at once of this worker. Default: its part of what the plan and its models allow to all. */
  atOnce: z.int().min(1).optional(),
});

const report = z.object({ worker: z.string(), chunks: count, asked: count });

const event = z.discriminatedUnion("type", [
  /** A fill has begun that needs hands. */
  z.object({ type: z.literal("joined"), plan: z.string(), run: z.string() }),
  /** Its files are not those of whoever planned it, so that nothing of it is taken. */
  z.object({ type: z.literal("refused"), plan: z.string(), differs: z.array(z.string()) }),
  z.object({ type: z.literal("chunk"), plan: z.string(), n: count, asked: count }),
  /** It could not be finished, and is handed out again. */
  z.object({ type: z.literal("failed"), plan: z.string(), n: count, problem: z.string() }),
  z.object({ type: z.literal("left"), plan: z.string(), run: z.string() }),
]);

export type WorkEvent = z.output<typeof event>;

/** Does what fills hand out, from any machine that has the same project. */
export const workOn = defineJob<typeof input, typeof report, WorkEvent>({
  name: "workOn",
  summary: "Takes chunks of rows that spread fills hand out, asks about them and records the answers, until it is stopped.",
  input,
  report,
  event,
  async run(project, wish, context) {
    if (!project.settings.ledger)
      throw new YoroshiError("badOption", {
        option: "work",
        problem:
          "the ledger is in a file, which one machine has. Move it into a PostgreSQL database first: `yoroshi ledger move --to DATABASE`.",
      });
    const worker = new AtWork(project, wish, context);
    return worker.go();
  },
});

/** A fill that is worked on, or is about to be. */
interface Joined {
  readonly plan: string;
  readonly setup: FillSetup;
  readonly places: AtOnce;
  /** Ends what is in hand softly. */
  readonly stop: AbortController;
  taking?: Taking;
}

class AtWork {
  readonly id: string;
  readonly #limits: SharedLimits;
  readonly #outages: SharedOutages;
  readonly #joined = new Map<string, Joined>();
  /** Runs that are being left; whoever is needed again comes back when that is done. */
  readonly #leaving = new Map<string, Promise<void>>();
  readonly #refused = new Map<string, string>();
  /** Runs that rest, and until when. */
  readonly #resting = new Map<string, number>();
  #chunks = 0;
  #asked = 0;
  #inHand = 0;
  /** When rows were asked of late, with how many. */
  #lately: { at: number; rows: number }[] = [];
  #toldAt = 0;

  constructor(
    readonly project: Project,
    readonly wish: z.output<typeof input>,
    readonly context: JobContext<WorkEvent>,
  ) {
    this.id = `${hostname()}-${process.pid}-${project.clock.now().toString(36)}`;
    this.#limits = new SharedLimits(project.ledger(), project.clock, wish.atOnce);
    this.#outages = new SharedOutages(project.ledger(), project.clock);
  }

  async go(): Promise<z.output<typeof report>> {
    const { clock } = this.project;
    const queue = this.project.queue();
    const { stop, signal } = this.context;
    try {
      while (!stop?.aborted && !signal?.aborted) {
        await this.#outages.look();
        const open = await this.#openRuns();
        for (const run of this.#joined.keys()) if (open.get(run)?.state !== "open" || this.#rests(run)) this.#leave(run);
        // One that dies is missed after a while, and its part is free.
        const others = [...(await workersOf(this.project))].flatMap(([name, worker]) => (name === this.id ? [] : worker));
        await this.#limits.share(others);
        // Those who joined at the last look are known to the others by now.
        for (const [run, joined] of this.#joined) joined.taking ??= await this.#take(queue, run, joined, open.get(run)!);
        for (const [run, spread] of open)
          if (spread.state === "open" && !this.#joined.has(run) && !this.#leaving.has(run) && !this.#rests(run))
            await this.#join(run, spread);
        await this.#tell();
        if (this.wish.untilDone && this.#chunks > 0 && open.size === 0 && this.#inHand === 0) break;
        const waits = Math.min(LONGEST_LOOK_MS, Math.max(LOOK_MS, LOOK_MS_A_WORKER * others.length));
        await clock.sleep(waits, stop ?? signal).catch(() => undefined);
      }
      return { worker: this.id, chunks: this.#chunks, asked: this.#asked };
    } finally {
      for (const run of this.#joined.keys()) this.#leave(run);
      await Promise.all(this.#leaving.values());
      await this.#outages.end();
      await queue.close();
      await this.project.ledger().facts.remove([`${WORKER_NAMES}${this.id}`]);
    }
  }

  #rests(run: string): boolean {
    return (this.#resting.get(run) ?? 0) > this.project.clock.now();
  }

  async #openRuns(): Promise<Map<string, SpreadRecord>> {
    const open = new Map<string, SpreadRecord>();
    for (const [name, kept] of await this.project.ledger().facts.find(SPREAD_NAMES)) {
      const spread = readKept(SPREAD, kept);
      if (spread && (this.wish.plans?.includes(spread.plan) ?? true)) open.set(name.slice(SPREAD_NAMES.length), spread);
    }
    return open;
  }

  /** Takes part in a fill, where its files are the planner's; those are looked at anew each time, for they may have been put right. */
  async #join(run: string, spread: SpreadRecord): Promise<void> {
    const { plan } = spread;
    const setup = await this.#setupOf(plan);
    const differs = setup instanceof YoroshiError ? [setup.message] : differing(spread.marks, marksOf(workOf(setup)));
    if (setup instanceof YoroshiError || differs.length > 0) {
      const why = differs.join("; ");
      if (this.#refused.get(plan) !== why) this.context.on?.({ type: "refused", plan, differs });
      this.#refused.set(plan, why);
      return;
    }
    this.#refused.delete(plan);
    this.#joined.set(run, { plan, setup, places: this.#limits.join(setup), stop: new AbortController() });
    this.#toldAt = 0;
    this.context.on?.({ type: "joined", plan, run });
  }

  async #take(
    queue: ReturnType<Project["queue"]>,
    run: string,
    { plan, setup, places, stop: own }: Joined,
    spread: SpreadRecord,
  ): Promise<Taking> {
    const log = await this.project.runLog(plan);
    const { signal } = this.context;
    const stop = AbortSignal.any([own.signal, ...(this.context.stop ? [this.context.stop] : [])]);
    const taking = await queue.take(run, CHUNKS_AT_ONCE, async (chunk) => {
      this.#inHand++;
      try {
        const limits = { places, outages: this.#outages };
        const worked = await workChunk(chunk, { setup, spread, worker: this.id, ...limits, stop, signal, observed: log.observed });
        if (!worked) return;
        this.#chunks++;
        this.#asked += worked.asked;
        this.#lately.push({ at: this.project.clock.now(), rows: worked.asked });
        this.context.on?.({ type: "chunk", plan, n: chunk.n, asked: worked.asked });
      } catch (error) {
        // Others may do better; and whoever fails at once must not take one chunk after the other.
        this.#resting.set(run, this.project.clock.now() + REST_MS);
        this.context.on?.({ type: "failed", plan, n: chunk.n, problem: knownError(error).message });
        throw error;
      } finally {
        this.#inHand--;
      }
    });
    return {
      async stop() {
        await taking.stop();
        await log.close();
      },
    };
  }

  /** What is in hand is finished meanwhile, as far as it is begun. */
  #leave(run: string): void {
    const joined = this.#joined.get(run)!;
    this.#joined.delete(run);
    joined.stop.abort();
    const leaving = (async () => {
      await joined.taking?.stop();
      if (![...this.#joined.values()].some(({ plan }) => plan === joined.plan)) await this.#limits.leave(joined.plan);
      this.#leaving.delete(run);
      this.context.on?.({ type: "left", plan: joined.plan, run });
    })();
    // What cannot be ended well now is missed by the others after a while.
    this.#leaving.set(
      run,
      leaving.catch(() => void this.#leaving.delete(run)),
    );
  }

  async #setupOf(plan: string): Promise<FillSetup | YoroshiError> {
    try {
      return (await this.project.fillSetup(plan, { asks: true })).setup;
    } catch (error) {
      if (error instanceof YoroshiError) return error;
      throw error;
    }
  }

  async #tell(): Promise<void> {
    const now = this.project.clock.now();
    if (now - this.#toldAt < TELL_MS) return;
    this.#toldAt = now;
    this.#lately = this.#lately.filter(({ at }) => now - at < MINUTE_MS);
    const record: WorkerRecord = {
      seen: now,
      host: hostname(),
      process: process.pid,
      chunks: this.#chunks,
      asked: this.#asked,
      shares: this.#limits.names,
      pace: this.#lately.reduce((sum, { rows }) => sum + rows, 0),
      ...(this.#refused.size > 0 ? { refuses: Object.fromEntries(this.#refused) } : {}),
    };
    await this.project.ledger().facts.set(`${WORKER_NAMES}${this.id}`, keep(WORKER, record));
  }
}

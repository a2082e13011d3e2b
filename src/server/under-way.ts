import { randomBytes } from "node:crypto";
import * as z from "zod";
import { YoroshiError } from "../core/ground/index.js";
import { errorJson, exitOf, readGiven, runJob, type FilledPlan, type Project } from "../jobs/index.js";
import type { AnyJob } from "./operations.js";

export const underWayShape = z.object({
  id: z.string(),
  /** `fillPlan` or `trialTemplate`. */
  job: z.string(),
  /** The plan or the template. */
  subject: z.string(),
  by: z.string(),
  startedAt: z.iso.datetime(),
  endedAt: z.iso.datetime().optional(),
  /** `pausing` and `stopping` while what is in flight is finished. */
  state: z.enum(["running", "pausing", "paused", "stopping", "stopped", "done", "failed"]),
  /** As the job tells it, the newest. */
  progress: z.json().optional(),
  /** What a person should know. */
  notices: z.array(z.string()),
  report: z.json().optional(),
  error: z.object({ code: z.string(), message: z.string() }).optional(),
});

/** How a fill or a trial stands that goes on while nobody waits. */
export type UnderWay = z.output<typeof underWayShape>;

interface Entry {
  told: UnderWay;
  readonly work: AnyJob;
  readonly input: Record<string, unknown>;
  stop: AbortController;
  signal: AbortController;
  ended: Promise<void>;
}

interface Event {
  readonly type: string;
  readonly [key: string]: unknown;
}

const MOST_KEPT = 200;
const OVER = new Set<UnderWay["state"]>(["stopped", "done", "failed"]);

/** Fills and trials that go on while nobody waits. A pause ends the run as Ctrl-C does; going on is a run that knows what was answered. */
export class UnderWays {
  readonly #entries = new Map<string, Entry>();

  constructor(
    readonly project: () => Project,
    readonly onChange: (now: UnderWay) => void,
    /** Waited for before a plan is filled. */
    readonly before: (subject: string) => Promise<void> = async () => undefined,
  ) {}

  start(job: AnyJob, subject: string, by: string, input: Record<string, unknown>): UnderWay {
    readGiven(job.input, input, job.name);
    const busy = [...this.#entries.values()].find(({ told }) => told.job === job.name && told.subject === subject && !OVER.has(told.state));
    if (busy && job.name === "fillPlan") throw new YoroshiError("planBusy", { plan: subject });
    const told: UnderWay = {
      id: randomBytes(9).toString("hex"),
      job: job.name,
      subject,
      by,
      startedAt: new Date().toISOString(),
      state: "running",
      notices: [],
    };
    const entry: Entry = { told, work: job, input, stop: new AbortController(), signal: new AbortController(), ended: Promise.resolve() };
    this.#entries.set(told.id, entry);
    this.#forget();
    entry.ended = this.#run(entry);
    return entry.told;
  }

  all(): UnderWay[] {
    return [...this.#entries.values()].map(({ told }) => told).reverse();
  }

  get(id: string): UnderWay {
    return this.#entry(id).told;
  }

  pause(id: string): UnderWay {
    const entry = this.#entry(id);
    if (entry.told.state === "running") {
      this.#set(entry, { state: "pausing" });
      entry.stop.abort();
    }
    return entry.told;
  }

  goOn(id: string): UnderWay {
    const entry = this.#entry(id);
    if (entry.told.state !== "paused")
      throw new YoroshiError("badOption", { option: id, problem: `it is ${entry.told.state}, not paused.` });
    entry.stop = new AbortController();
    entry.signal = new AbortController();
    this.#set(entry, { state: "running" });
    entry.ended = this.#run(entry);
    return entry.told;
  }

  /** What is in flight is finished; asked for once more, it is dropped. */
  stop(id: string): UnderWay {
    const entry = this.#entry(id);
    const { state } = entry.told;
    if (state === "paused") this.#set(entry, { state: "stopped", endedAt: new Date().toISOString() });
    else if (state === "stopping") entry.signal.abort();
    else if (!OVER.has(state)) {
      this.#set(entry, { state: "stopping" });
      entry.stop.abort();
    }
    return entry.told;
  }

  /** Resolves once what runs now has ended. */
  async settled(): Promise<void> {
    await Promise.all([...this.#entries.values()].map(({ ended }) => ended));
  }

  /** Stops all, drops what is not finished in time, and waits until all have written what they have. */
  async close(graceMs: number): Promise<void> {
    const open = [...this.#entries.values()].filter(({ told }) => !OVER.has(told.state));
    for (const { told } of open) this.stop(told.id);
    const timer = setTimeout(() => open.forEach(({ signal }) => signal.abort()), graceMs);
    await Promise.all(open.map(({ ended }) => ended));
    clearTimeout(timer);
  }

  #entry(id: string): Entry {
    const entry = this.#entries.get(id);
    if (!entry) throw new YoroshiError("notFound", { what: "run under way", name: id, known: [...this.#entries.keys()] });
    return entry;
  }

  #set(entry: Entry, now: Partial<UnderWay>): void {
    entry.told = { ...entry.told, ...now };
    this.onChange(entry.told);
  }

  #forget(): void {
    for (const [id, { told }] of this.#entries) {
      if (this.#entries.size <= MOST_KEPT) return;
      if (OVER.has(told.state)) this.#entries.delete(id);
    }
  }

  async #run(entry: Entry): Promise<void> {
    const context = { stop: entry.stop.signal, signal: entry.signal.signal, on: (event: Event) => this.#hear(entry, event) };
    try {
      await this.before(entry.told.subject);
      // Of a trial it has none of these.
      const report = (await runJob(entry.work as never, this.project(), entry.input, context as never)) as unknown as Partial<FilledPlan>;
      const { state } = entry.told;
      const isCut = report.end === "interrupted" || (entry.stop.signal.aborted && report.end === undefined);
      if (isCut && state === "pausing") {
        this.#leaveRest(entry, report);
        return this.#set(entry, { state: "paused", report: report as never });
      }
      const isFailed = report.end !== undefined && exitOf(report as FilledPlan) > 1 && report.end !== "interrupted";
      this.#set(entry, {
        state: isCut ? "stopped" : isFailed ? "failed" : "done",
        endedAt: new Date().toISOString(),
        report: report as never,
        ...(isFailed && report.error ? { error: report.error } : {}),
      });
    } catch (error) {
      const wasStopped = entry.stop.signal.aborted || entry.signal.signal.aborted;
      const told = errorJson(error);
      const isCut = wasStopped && (told.code === "interrupted" || told.code === "cancelled");
      this.#set(entry, { state: isCut ? "stopped" : "failed", endedAt: new Date().toISOString(), ...(isCut ? {} : { error: told }) });
    }
  }

  /** Of caps on rows and spend, what a part of the run has used is gone when it goes on. */
  #leaveRest({ input }: Entry, { asked = 0, spent = 0 }: Partial<FilledPlan>): void {
    if (typeof input["rows"] === "number") input["rows"] = Math.max(0, input["rows"] - asked);
    if (typeof input["spend"] === "number") input["spend"] = Math.max(0, input["spend"] - spent);
  }

  #hear(entry: Entry, event: Event): void {
    if (event.type === "spread") this.#set(entry, { progress: event["progress"] as never });
    else if (event.type === "progress")
      this.#set(entry, { progress: (event["progress"] ?? { done: event["done"], total: event["total"] }) as never });
    else if (event.type === "notice") this.#set(entry, { notices: [...entry.told.notices, String(event["text"])] });
    else if (event.type === "host")
      this.#set(entry, {
        notices: [
          ...entry.told.notices,
          event["state"] === "open"
            ? `${String(event["host"])} keeps failing; it is waited for.`
            : `${String(event["host"])} answers again.`,
        ],
      });
  }
}

import { randomBytes } from "node:crypto";
import { mkdir, readdir, readFile, rm } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { YoroshiError } from "../core/index.js";
import { writeWhole } from "../files/index.js";
import type { Project } from "../project/index.js";
import { answerRows, type AnswersReport } from "./answer-rows.js";
import { checkCallBack, sendCallBack } from "./call-back.js";
import { runJob } from "./job.js";
import { errorJson } from "./known-error.js";
import { countAsked, type TokenBearer } from "./tokens.js";

export const laterShape = z.object({
  id: z.string(),
  template: z.string(),
  rows: z.int().min(0),
  askedAt: z.iso.datetime(),
  state: z.enum(["waiting", "answered", "failed"]),
  /** The answers, in the order of the rows. */
  report: answerRows.report.optional(),
  error: z.object({ code: z.string(), message: z.string() }).optional(),
  callBack: z.object({ address: z.string(), state: z.enum(["waiting", "delivered", "givenUp"]), attempts: z.int().min(0) }).optional(),
});

export type LaterShown = z.output<typeof laterShape>;

/** A request that is answered later, as it is kept on the disk until somebody has fetched it or a month has gone. */
interface Kept extends Omit<LaterShown, "rows"> {
  readonly rows: readonly Readonly<Record<string, unknown>>[];
  readonly fresh?: boolean | undefined;
  readonly by: string;
  /** The token that it was asked with. */
  readonly bearer?: TokenBearer | undefined;
}

/** How long it is waited before a call-back is tried again. */
const AGAIN_AFTER_MS = [5_000, 30_000, 5 * 60_000, 30 * 60_000, 2 * 3_600_000];
const KEPT_MS = 31 * 86_400_000;
const MOST_AT_ONCE = 100;

/** Answers that somebody fetches later, or is called back with. They survive the end of the process: the next one goes on with them. */
export class LaterAnswers {
  readonly #ending = new AbortController();
  readonly #open = new Map<string, Promise<void>>();
  readonly #timers = new Set<NodeJS.Timeout>();

  constructor(
    readonly project: () => Project,
    readonly againAfterMs: readonly number[] = AGAIN_AFTER_MS,
  ) {}

  /** Takes a request. @throws YoroshiError `callBackRefused`, `tooMany`. */
  async start(about: {
    readonly template: string;
    readonly rows: Kept["rows"];
    readonly fresh?: boolean | undefined;
    readonly callBack?: string | undefined;
    readonly by: string;
    readonly bearer?: TokenBearer | undefined;
  }): Promise<LaterShown> {
    const project = this.project();
    await project.template(about.template);
    if (about.callBack !== undefined) checkCallBack(project, about.callBack);
    if (this.#open.size >= MOST_AT_ONCE) throw new YoroshiError("tooMany", { seconds: 30 });
    const kept: Kept = {
      id: randomBytes(12).toString("hex"),
      template: about.template,
      rows: about.rows,
      fresh: about.fresh,
      askedAt: new Date(project.clock.now()).toISOString(),
      state: "waiting",
      ...(about.callBack === undefined ? {} : { callBack: { address: about.callBack, state: "waiting", attempts: 0 } }),
      by: about.by,
      ...(about.bearer ? { bearer: about.bearer } : {}),
    };
    await this.#keep(kept);
    this.#begin(kept);
    return shown(kept);
  }

  /**
   * What has become of a request.
   *
   * @param bearer a token reads what it asked itself.
   * @throws YoroshiError `notFound`.
   */
  async read(id: string, bearer?: TokenBearer): Promise<LaterShown> {
    const kept = /^[0-9a-f]{24}$/.test(id) ? await this.#read(id) : undefined;
    const isTheirs = bearer === undefined || bearer.right !== "answer" || kept?.bearer?.id === bearer.id;
    if (!kept || !isTheirs) throw new YoroshiError("notFound", { what: "request for answers", name: id, known: [] });
    return shown(kept);
  }

  /** Goes on with what an earlier process left, and forgets what is older than a month. */
  async resume(): Promise<void> {
    const now = this.project().clock.now();
    for (const file of await readdir(this.#folder()).catch(() => [])) {
      const kept = await this.#read(file.replace(/\.json$/, ""));
      if (!kept) continue;
      if (now - Date.parse(kept.askedAt) > KEPT_MS) await rm(path.join(this.#folder(), file), { force: true });
      else if (kept.state === "waiting" || kept.callBack?.state === "waiting") this.#begin(kept);
    }
  }

  /** Waits for what is in flight, at most so long; what is left waits for the next process. */
  async close(graceMs: number): Promise<void> {
    for (const timer of this.#timers) clearTimeout(timer);
    const timer = setTimeout(() => this.#ending.abort(), graceMs);
    await Promise.allSettled(this.#open.values());
    clearTimeout(timer);
    this.#ending.abort();
  }

  #begin(kept: Kept): void {
    const work = (kept.state === "waiting" ? this.#answer(kept) : this.#deliver(kept)).finally(() => this.#open.delete(kept.id));
    this.#open.set(kept.id, work);
  }

  async #answer(kept: Kept): Promise<void> {
    const project = this.project();
    const { bearer } = kept;
    const input = { template: kept.template, rows: kept.rows, ...(kept.fresh ? { fresh: true } : {}) };
    const admit = bearer && (() => countAsked(project, bearer));
    let now: Kept;
    try {
      const report = (await runJob(answerRows, project, input, { signal: this.#ending.signal, admit })) as AnswersReport;
      now = { ...kept, state: "answered", report };
    } catch (error) {
      // Ended with the process: the next one asks again, and knows what was answered.
      if (this.#ending.signal.aborted) return;
      now = { ...kept, state: "failed", error: errorJson(error) };
    }
    await this.#keep(now);
    await this.#deliver(now);
  }

  async #deliver(kept: Kept): Promise<void> {
    const { callBack } = kept;
    if (callBack?.state !== "waiting") return;
    const { id, ...told } = shown(kept);
    const type = kept.state === "answered" ? "answers.ready" : "answers.failed";
    const isTaken = await sendCallBack(
      this.project(),
      callBack.address,
      { id: `answers_${id}`, type, data: { id, ...told } },
      this.#ending.signal,
    );
    if (!isTaken && this.#ending.signal.aborted) return;
    const attempts = callBack.attempts + 1;
    const wait = this.againAfterMs[attempts - 1];
    const state = isTaken ? "delivered" : wait === undefined ? "givenUp" : "waiting";
    const now: Kept = { ...kept, callBack: { ...callBack, attempts, state } };
    await this.#keep(now);
    if (state !== "waiting") return;
    const timer = setTimeout(() => {
      this.#timers.delete(timer);
      this.#begin(now);
    }, wait);
    timer.unref();
    this.#timers.add(timer);
  }

  #folder(): string {
    return path.join(this.project().root, ".yoroshi", "later");
  }

  async #keep(kept: Kept): Promise<void> {
    await mkdir(this.#folder(), { recursive: true });
    await writeWhole(path.join(this.#folder(), `${kept.id}.json`), `later/${kept.id}.json`, (write) =>
      write(Buffer.from(JSON.stringify(kept))),
    );
  }

  async #read(id: string): Promise<Kept | undefined> {
    try {
      return JSON.parse(await readFile(path.join(this.#folder(), `${id}.json`), "utf8")) as Kept;
    } catch {
      return undefined; // not there, or cut short with its process: nobody was told of it
    }
  }
}

function shown(kept: Kept): LaterShown {
  const { rows, by: _, bearer: __, fresh: ___, ...told } = kept;
  return { ...told, rows: rows.length };
}

import { schedule, type Schedule } from "../../adapters/schedule/index.js";
import {
  canonicalJson,
  changesOfRun,
  hold,
  Gathered,
  isYoroshiError,
  leftOfDay,
  nextDay,
  plainJson,
  plural,
  type Changed,
  type Clock,
  type Held,
  type Ledger,
  type Plan,
} from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { actionsOf, goOnWithRules, type FollowedRules } from "../follow-rules.js";
import { fillPlan, type FilledPlan, type FillPlanEvent } from "../fill-plan.js";
import type { JobContext } from "../job.js";
import { runJob } from "../job.js";
import { changeTold, type ChangeTold } from "../read-changes.js";
import { holdsForDrift, lookForDrift } from "../read-drift.js";
import { hearChanges } from "./hear-changes.js";
import { keepWatch, leadName, readWatch, type WatchRound, type WatchState } from "./watch-state.js";

/** What is told of a watched plan. */
export type WatchEvent =
  | { readonly type: "state"; readonly plan: string; readonly state: WatchState }
  | { readonly type: "round"; readonly plan: string; readonly round: WatchRound }
  | { readonly type: "changes"; readonly plan: string; readonly run: string; readonly changes: readonly ChangeTold[] }
  | { readonly type: "notice"; readonly plan: string; readonly text: string };

/** Whoever stands by looks so often whether the plan is free. */
const STAND_BY_MS = 1_000;
/** Changes are gathered until nothing has come for a moment; not for ever. */
const QUIET_MS = 100;
const MOST_GATHERED_MS = 2_000;
/** Longer waits are made in pieces, so that a clock that jumps is noticed. */
const PIECE_MS = 15_000;
const FIRST_REST_MS = 5_000;
const LONGEST_REST_MS = 3_600_000;
/** What a limit of the round left goes on after. */
/** A plan that holds looks so often whether somebody has seen why. */
const HOLD_MS = 15_000;
const GO_ON_MS = 60_000;
const BUSY_MS = 1_000;
const CHANGES_TOLD = 500;

/** What a round came to: when it is to be gone on with, and why it rests till then. */
interface Outcome {
  readonly round?: WatchRound | undefined;
  readonly again?: Again | undefined;
}

/** A round that is to be gone on with. */
interface Again {
  readonly at: number;
  readonly rows: Changed;
  readonly problem: string | null;
  /** Whether what changes meanwhile has to wait, too. */
  readonly blocks: boolean;
}

/** Watches one plan, as long as it is not stopped: one process at a time, whoever else stands by takes over. */
export class PlanWatch {
  readonly #clock: Clock;
  #gathered = new Gathered(QUIET_MS, MOST_GATHERED_MS);
  #wake: () => void = () => undefined;
  #state: WatchState;
  #failures = 0;
  #closing = false;

  constructor(
    readonly project: () => Project,
    readonly name: string,
    readonly context: JobContext<WatchEvent>,
  ) {
    this.#clock = project().clock;
    this.#state = {
      state: "standby",
      process: null,
      at: this.#iso(),
      since: null,
      lagMs: 0,
      lastRound: null,
      nextRound: null,
      problem: null,
      lastTick: null,
    };
  }

  /** Rows have changed, or may have. */
  changed(rows: Changed): void {
    this.#gathered.add(rows, this.#clock.now());
    this.#wake();
  }

  /** Until `stop` is aborted. */
  async run(): Promise<void> {
    const { stop, signal } = this.context;
    const end = (): void => {
      this.#closing = true;
      this.#wake();
    };
    for (const one of [stop, signal]) {
      if (one?.aborted) end();
      one?.addEventListener("abort", end);
    }
    try {
      while (!this.#closing) {
        const held = await hold(this.#ledger, this.#clock, leadName(this.name));
        if (!held) {
          this.#standBy();
          await this.#waitUntil(this.#clock.now() + STAND_BY_MS);
          continue;
        }
        try {
          await this.#lead(held);
        } catch (error) {
          if (!isYoroshiError(error)) throw error;
          // A plan that cannot be read just now may be read when it has been mended.
          this.#tell({ type: "notice", plan: this.name, text: error.message });
          await this.#rest(error.message);
        } finally {
          await held.letGo();
        }
      }
    } finally {
      for (const one of [stop, signal]) one?.removeEventListener("abort", end);
    }
  }

  /** Told, and not kept: what is kept is the word of whoever watches. */
  #standBy(): void {
    if (this.#state.state === "standby" && this.#state.process !== null) return;
    this.#state = { ...this.#state, state: "standby", process: process.pid, at: this.#iso() };
    this.#tell({ type: "state", plan: this.name, state: this.#state });
  }

  get #ledger(): Ledger {
    return this.project().ledger();
  }

  #iso(at = this.#clock.now()): string {
    return new Date(at).toISOString();
  }

  #tell(event: WatchEvent): void {
    this.context.on?.(event);
  }

  /** When drift is looked for again. */
  #driftDue: number | undefined;

  async #set(now: Partial<WatchState>): Promise<void> {
    const { since } = this.#gathered;
    this.#state = {
      ...this.#state,
      process: process.pid,
      ...now,
      at: this.#iso(),
      since: since === undefined ? null : this.#iso(since),
      lagMs: since === undefined ? 0 : Math.max(0, this.#clock.now() - since),
    };
    await keepWatch(this.#ledger, this.name, this.#state);
    this.#tell({ type: "state", plan: this.name, state: this.#state });
  }

  /** Sleeps until a moment, or until something happens. */
  async #waitUntil(at: number): Promise<void> {
    const ms = Math.min(at - this.#clock.now(), PIECE_MS);
    if (ms <= 0 || this.#closing) return;
    const waiting = new AbortController();
    this.#wake = () => waiting.abort();
    await this.#clock.sleep(ms, waiting.signal).catch(() => undefined);
    this.#wake = () => undefined;
  }

  async #rest(problem: string): Promise<void> {
    const ms = Math.min(FIRST_REST_MS * 2 ** this.#failures++, LONGEST_REST_MS);
    const until = this.#clock.now() + ms;
    await this.#set({ state: "resting", problem, nextRound: this.#iso(until) });
    while (!this.#closing && this.#clock.now() < until) await this.#waitUntil(until);
  }

  /** Watches as long as the plan says the same about what is watched. */
  async #lead(held: Held): Promise<void> {
    const plan = await this.project().plan(this.name);
    const kept = await readWatch(this.#ledger, this.name);
    if (kept) this.#state = { ...this.#state, lastRound: kept.lastRound, lastTick: kept.lastTick };
    // With a schedule alone, changes wait for its times.
    const watches = plan.watch?.changes === true || plan.watch?.by !== undefined || !plan.watch?.every;
    const listener = {
      changed: (rows: Changed) => this.changed(rows),
      told: (text: string) => this.#tell({ type: "notice", plan: this.name, text }),
    };
    const close = watches ? await hearChanges(this.project(), plan, listener) : async () => undefined;
    try {
      // What changed while nobody watched.
      if (watches) this.changed("any");
      await this.#rounds(
        plan,
        plan.watch?.every === undefined ? undefined : schedule(plan.watch.every, this.project().settings.timeZone),
        held,
      );
    } finally {
      await close();
      // What is kept is the word of whoever watches now.
      if (!(await held.isLost())) await this.#set({ state: "off", process: null, nextRound: null });
      else this.#state = { ...this.#state, process: null };
    }
  }

  async #rounds(plan: Plan, times: Schedule | undefined, held: Held): Promise<void> {
    let because: WatchRound["because"] = "start";
    let again: Again | undefined;
    await this.#set({ state: "waiting", problem: null });
    while (!this.#closing) {
      if (await held.isLost())
        return this.#tell({
          type: "notice",
          plan: this.name,
          text: "This process was not seen for a while; another watches the plan now, and it stands by.",
        });
      const now = this.#clock.now();
      const tick = this.#nextTick(times, now);
      if (plan.drift && (this.#driftDue ?? 0) <= now) {
        await this.#lookForDrift(plan);
        continue;
      }
      const change = again?.blocks ? undefined : this.#gathered.dueAt();
      const due = Math.min(
        again?.at ?? Infinity,
        again?.blocks ? Infinity : (tick ?? Infinity),
        change ?? Infinity,
        plan.drift ? this.#driftDue! : Infinity,
      );
      await this.#setWaiting(again, Number.isFinite(due) ? due : undefined);
      if (due > now) {
        await this.#waitUntil(due);
        continue;
      }
      const isAgain = again !== undefined && again.at <= now;
      const isTick = tick !== undefined && tick <= now;
      const since = this.#gathered.since ?? null;
      if (isAgain) this.#gathered.add(again!.rows, now);
      if (isTick) {
        this.#gathered.add("any", now);
        this.#state = { ...this.#state, lastTick: this.#iso(now) };
      }
      const outcome = await this.#round(plan, this.#gathered.take(), isTick ? "schedule" : isAgain ? "again" : because, since);
      because = "change";
      again = bothAgain(isAgain ? undefined : again, outcome.again);
      if (outcome.round) this.#state = { ...this.#state, lastRound: outcome.round };
      if (await this.#isAnother(plan)) {
        if (again) this.changed(again.rows);
        return;
      }
    }
  }

  /** Once a day, after its end: what moved yesterday. */
  async #lookForDrift(plan: Plan): Promise<void> {
    const now = this.#clock.now();
    this.#driftDue = nextDay(now, this.project().settings.timeZone);
    try {
      for (const text of await lookForDrift(this.project(), plan, this.context)) this.#tell({ type: "notice", plan: this.name, text });
    } catch (error) {
      if (!isYoroshiError(error)) throw error;
      this.#tell({ type: "notice", plan: this.name, text: `Drift could not be looked for: ${error.message}` });
    }
  }

  async #setWaiting(again: Again | undefined, due: number | undefined): Promise<void> {
    const nextRound = due === undefined ? null : this.#iso(due);
    const state = again ? "resting" : "waiting";
    const problem = again?.problem ?? null;
    if (this.#state.state !== state || this.#state.nextRound !== nextRound || this.#state.problem !== problem)
      await this.#set({ state, nextRound, problem });
  }

  /** The next time of the schedule, after the last one that was kept; one that passed while nobody watched is due at once. */
  #nextTick(times: Schedule | undefined, now: number): number | undefined {
    if (!times) return undefined;
    const kept = this.#state.lastTick === null ? undefined : Date.parse(this.#state.lastTick);
    // A clock that was put back would have it wait till then once more.
    if (kept === undefined || kept > now) this.#state = { ...this.#state, lastTick: this.#iso(now) };
    return times.next(Date.parse(this.#state.lastTick!));
  }

  /** Whether the plan's file says something else now about what is watched, and within which limits. */
  async #isAnother(plan: Plan): Promise<boolean> {
    const about = ({ table, limits, related = {}, watch = {}, drift = {}, afterwards = { rules: [], first: false } }: Plan): string =>
      canonicalJson(plainJson({ table, limits, related, watch, drift, afterwards }));
    return about(await this.project().plan(this.name)) !== about(plan);
  }

  /** One round: a fill of what has changed, within what the limits of the round and of the day leave. */
  async #round(plan: Plan, rows: Changed, because: WatchRound["because"], since: number | null): Promise<Outcome> {
    const project = this.project();
    const began = this.#clock.now();
    const left = await leftOfDay(this.#ledger, plan, began, project.settings.timeZone);
    if (left.rows === 0 || left.spend === 0) {
      const problem = `the limit of the day is reached (${left.rows === 0 ? "rowsPerDay" : "spendPerDay"})`;
      return { again: { at: nextDay(began, project.settings.timeZone), rows, problem, blocks: true } };
    }
    const held = await holdsForDrift(project, plan);
    if (held !== undefined) {
      const problem = `${held} It holds until \`yoroshi drift ${this.name} --seen\`.`;
      return { again: { at: began + HOLD_MS, rows, problem, blocks: true } };
    }
    await this.#set({ state: "round", nextRound: null, problem: null });
    if (rows.length === 0) return this.#goOn();
    const least = (...limits: (number | undefined)[]): number | undefined => {
      const given = limits.filter((limit) => limit !== undefined);
      return given.length === 0 ? undefined : Math.min(...given);
    };
    try {
      const report = await runJob(
        fillPlan,
        project,
        {
          plan: this.name,
          ...(rows === "any" ? {} : { only: rows, orGone: true }),
          rows: least(plan.limits.rows, left.rows),
          spend: least(plan.limits.spend, left.spend === undefined ? undefined : left.spend / 1e6),
          probe: false,
          quiet: true,
        },
        { ...this.context, on: (event) => this.#hear(event) },
      );
      return await this.#ended(report as FilledPlan, rows, because, began, since);
    } catch (error) {
      if (!isYoroshiError(error)) throw error;
      const isBusy = error.code === "planBusy";
      if (!isBusy) this.#tell({ type: "notice", plan: this.name, text: error.message });
      return { again: { ...this.#later(isBusy ? BUSY_MS : undefined), rows, problem: isBusy ? null : error.message, blocks: true } };
    }
  }

  /** Messages that wait, tables that could not be written: no row is looked at for them. */
  async #goOn(): Promise<Outcome> {
    try {
      const { setup } = await this.project().fillSetup(this.name, { asks: false });
      const afterwards = await goOnWithRules(this.project(), setup, this.context.signal);
      const again = this.#againFor(afterwards, []);
      if (!again) this.#failures = 0;
      return { again };
    } catch (error) {
      if (!isYoroshiError(error)) throw error;
      return { again: { ...this.#later(), rows: [], problem: error.message, blocks: false } };
    }
  }

  #hear(event: FillPlanEvent): void {
    if (event.type === "notice") this.#tell({ type: "notice", plan: this.name, text: event.text });
  }

  #later(ms = Math.min(FIRST_REST_MS * 2 ** this.#failures++, LONGEST_REST_MS)): { readonly at: number } {
    return { at: this.#clock.now() + ms };
  }

  async #ended(report: FilledPlan, rows: Changed, because: WatchRound["because"], began: number, since: number | null): Promise<Outcome> {
    const { run, end, asked, spent, error, inVain, afterwards } = report;
    const actions = actionsOf(afterwards?.rules ?? []);
    const sent = afterwards?.messages.sent ?? 0;
    const { total: changes, some } = report.changed || actions > 0 ? await this.#changes(run) : { total: 0, some: [] };
    const round: WatchRound = {
      run,
      at: this.#iso(began),
      because,
      named: rows === "any" ? null : rows.length,
      end,
      asked,
      spent,
      changes,
      actions: actions + sent,
      tookMs: this.#clock.now() - began,
      lagMs: since === null ? null : this.#clock.now() - since,
      ...(error ? { problem: error.message } : {}),
    };
    // A look that found nothing to do is no round.
    const isRound = asked > 0 || changes > 0 || actions > 0 || sent > 0 || error !== undefined;
    if (isRound) this.#tell({ type: "round", plan: this.name, round });
    if (some.length > 0) this.#tell({ type: "changes", plan: this.name, run, changes: some });
    const again = this.#again(report, rows);
    if (!again && inVain === 0 && !error) this.#failures = 0;
    return { round: isRound || because === "schedule" ? round : undefined, again };
  }

  /** What is left, and when it is gone on with. */
  #again({ end, error, inVain, afterwards }: FilledPlan, rows: Changed): Outcome["again"] {
    if (end === "interrupted") return undefined;
    const again = (problem: string, what: Partial<Again> = {}): Again => ({ ...this.#later(), rows, problem, blocks: false, ...what });
    if (error) return again(error.message, { blocks: true });
    if (end === "rowLimit" || end === "spendCap") return again("a limit of the round was reached", this.#later(GO_ON_MS));
    if (inVain > 0) return again(`${plural(inVain, "row")} got no answer`);
    return afterwards && this.#againFor(afterwards, rows);
  }

  #againFor({ messages, tables, postponed }: FollowedRules, rows: Changed): Again | undefined {
    const [waiting] = messages.problems;
    const unwritten = tables.find(({ problem }) => problem !== undefined);
    if (postponed > 0) return { ...this.#later(GO_ON_MS), rows, problem: "the limit of actions was reached", blocks: false };
    const problem = waiting ? `${plural(waiting.messages, "message")} of the rule ${waiting.rule}: ${waiting.problem}` : unwritten?.problem;
    return problem === undefined ? undefined : { ...this.#later(), rows: [], problem, blocks: false };
  }

  /** What a round altered: how much, and the first of it to be told. */
  async #changes(run: string): Promise<{ readonly total: number; readonly some: readonly ChangeTold[] }> {
    const counts = new Map<string, number>();
    const some: ChangeTold[] = [];
    let total = 0;
    for await (const changes of changesOfRun(this.#ledger, this.name, run)) {
      total += changes.length;
      some.push(...changes.slice(0, Math.max(0, CHANGES_TOLD - some.length)).map(changeTold));
      for (const { column, why } of changes) counts.set(`${column} ${why.code}`, (counts.get(`${column} ${why.code}`) ?? 0) + 1);
    }
    const log = await this.project().runLog(this.name);
    // Nothing of a row stands in the log; the changes themselves are in the ledger.
    for (const [what, cells] of counts) {
      const [column, why] = what.split(" ");
      log.note("changes", { run, column, why, cells });
    }
    await log.close();
    return { total, some };
  }
}

/** What is to be gone on with of two rounds. */
function bothAgain(before: Again | undefined, now: Again | undefined): Again | undefined {
  if (!before || !now) return before ?? now;
  const rows = before.rows === "any" || now.rows === "any" ? ("any" as const) : [...new Set([...before.rows, ...now.rows])];
  return { ...now, at: Math.max(before.at, now.at), rows, blocks: before.blocks || now.blocks };
}

import { Asker, type HostChange, type Outages } from "../asking/index.js";
import { modelsOf, type FillOptions, type Progress, type Work } from "../cells/index.js";
import { relaySignal, toMicros, type AtOnce, type Micros } from "../ground/index.js";
import { DEFAULT_AT_ONCE } from "../plan/index.js";
import { Ending } from "./ending.js";
import { Listeners } from "./listeners.js";
import { Run, type Hands, type RowQuestion } from "./run.js";
import type { StepTallies } from "./settled.js";
import { sumTallies, type FillEnd, type Tally } from "./tally.js";

export const spendCapOf = ({ plan: { limits } }: Work, { spendCap }: FillOptions): Micros | undefined =>
  spendCap ?? (limits.spend === undefined ? undefined : toMicros(limits.spend));

/** The figures of a run, with what replies cost also where a row then got no answer because the cap left no room to go on. */
export const tallyOf = ({ tallies }: Run, spent: Micros): Tally => ({ ...sumTallies(Object.values(tallies)), spent });

/** What asking about a table came to. */
export interface Gone {
  readonly run: Run;
  readonly ending: Ending;
  readonly spent: Micros;
  readonly unsure: Micros;
  readonly hosts: readonly HostChange[];
  /** Whether any cell's record changed. */
  readonly changed: boolean;
}

/** How the record of a run is kept while it asks. */
export interface RunBook {
  begin(): Promise<void>;
  end(end: FillEnd, tally: Tally, steps: StepTallies): Promise<void>;
}

/** What an asking shares with others. */
export interface Sharing {
  /** The run is filled by several processes: its cap is theirs together. */
  readonly isSpread?: boolean | undefined;
  /** Places that several askings of this process share. */
  readonly places?: AtOnce | undefined;
  readonly outages?: Outages | undefined;
}

/** Goes through the table and asks for what is needed and not known. Ends the run's record, also after an error in the table. */
export async function askRows(
  work: Work,
  options: FillOptions,
  name: string,
  { begin, end }: RunBook,
  { isSpread = false, places, outages }: Sharing = {},
): Promise<Gone> {
  const { ledger, clock, plan } = work;
  const cap = spendCapOf(work, options);
  const [drop, stop] = [relaySignal(options.signal), relaySignal(options.stop)];
  const ending = new Ending(stop.signal);
  const listeners = new Listeners(options.on ?? {}, (error) => ending.break(error));
  const run = new Run(work, name, options.rows ?? plan.limits.rows ?? Infinity);
  const models = modelsOf(work);
  let changed = false;
  let share = 0;
  const hosts: HostChange[] = [];
  const asker = new Asker<RowQuestion>(
    {
      ledger,
      clock,
      run: name,
      models,
      atOnce: plan.limits.atOnce ?? (models.some(({ limits }) => limits?.atOnce !== undefined) ? undefined : DEFAULT_AT_ONCE),
      ...(isSpread ? { runCap: cap } : { spendCap: cap }),
      places,
      outages,
      monthlyCap: work.monthlyCap,
      stop: stop.signal,
      drop: drop.signal,
      onBreaker: (...about) => listeners.tell("breaker", ...about),
      onHostChange: (change) => hosts.push(change),
      observed: options.observed,
    },
    {
      mayAsk: ({ passed }) => {
        if (ending.isOver) return false;
        const may = run.mayStart(passed);
        if (!may) ending.reachRowLimit();
        return may;
      },
      isOver: () => ending.isOver,
      cellsOf: (answered) => {
        changed = true;
        return run.settle(answered);
      },
      take: ({ question }, cells) => {
        run.finish(hands, question.one, question.passed, cells);
        tell();
      },
      leave: (question, error) => {
        if (error !== undefined) ending.fail(error, question.asking.model);
        run.abandon(question);
        tell();
      },
    },
  );
  const tell = (): void => {
    if (options.on?.progress) listeners.tell("progress", progressOf(run, asker, share));
  };
  const hands: Hands = {
    ask: async (questions, onBegun) => {
      await listeners.ready();
      if (questions.length > 0) await begin();
      return asker.ask(questions, onBegun);
    },
    ...(options.on?.row ? { onRow: (row) => listeners.tell("row", row) } : {}),
    record: async (cells, decisions) => {
      changed = true;
      await begin();
      await ledger.record({ cells, decisions });
    },
    goOn: async () => {
      if (asker.inFlight > 0) await asker.next();
      else if (asker.waits) await asker.sendWaiting();
      else return false;
      return true;
    },
    isOver: () => ending.isStopped,
    orGone: options.orGone,
    onShare: (now) => {
      share = now;
      tell();
    },
  };
  try {
    await run.go(hands);
  } catch (error) {
    ending.fail(error, models[0]!);
    throw error;
  } finally {
    await asker.close();
    run.leaveRest();
    tell();
    await listeners.ready();
    drop.release();
    stop.release();
    await end(ending.end, tallyOf(run, asker.budget.spent), run.tallies);
  }
  if (ending.broken) throw ending.broken.error;
  return { run, ending, changed, hosts, spent: asker.budget.spent, unsure: asker.budget.unsure };
}

function progressOf({ tallies }: Run, asker: Asker<RowQuestion>, share: number): Progress {
  const all = Object.values(tallies);
  const { rows, asked, reused, failed } = all.length === 1 ? all[0]! : sumTallies(all);
  return { share, rows, asked, reused, failed, spent: asker.budget.spent, inFlight: asker.inFlight };
}

import { watchFiles } from "../../adapters/file-watch/index.js";
import {
  DEFAULT_LOOK_SECONDS,
  inDatabase,
  isYoroshiError,
  lookThrough,
  ofPlan,
  readyAfterRules,
  sourceName,
  templateSteps,
  type Changed,
  type Plan,
  type RowMarks,
  type TableSource,
} from "../../core/index.js";
import { filledName } from "../../files/index.js";
import type { Project } from "../../project/index.js";
import { wishName } from "./wish-round.js";

/** Told what is heard of a plan's tables. */
export interface Listener {
  changed(rows: Changed): void;
  /** Something that a person should know. */
  told(text: string): void;
}

/** A look through all rows rests so many times as long as it took. */
const RESTS = 20;
const SLOW_LOOK_MS = 1_000;

/**
 * Hears of changes of the tables that a plan reads, each in the cheapest way that there is: files when they are written, a table of
 * PostgreSQL by its triggers, of any database by a growing column, all else by looking through the rows.
 *
 * @returns the way to stop.
 */
export async function hearChanges(project: Project, plan: Plan, listener: Listener): Promise<() => Promise<void>> {
  const end = new AbortController();
  const closing: (() => Promise<void>)[] = [];
  const loop = (work: () => Promise<void>): void => {
    closing.push(() => running);
    const running = work().catch((error: unknown) => {
      if (!end.signal.aborted) listener.told((error as Error).message);
    });
  };
  const hearing: Hearing = { project, plan, listener, end: end.signal, lookMs: (plan.watch?.lookSeconds ?? DEFAULT_LOOK_SECONDS) * 1000 };
  const files: string[] = [];
  const madeOf = (plan.table.items ?? plan.table.groups)?.of;
  if (plan.table.folder) loop(() => hearFolder(hearing));
  else if (madeOf !== undefined) loop(() => hearOtherPlan(hearing, madeOf));
  else if (inDatabase(plan.table)) closing.push(await hearDatabase(hearing, loop));
  else files.push(plan.table.file, filledName(plan.table.file));
  for (const { table } of Object.values(plan.related ?? {})) {
    if (ofPlan(table)) loop(() => hearOtherPlan(hearing, table.plan));
    else if (inDatabase(table)) closing.push(await hearRelated(hearing, table));
    else files.push(table.file);
  }
  for (const { step } of templateSteps(plan)) if (step.inquire) await hearAsked(hearing, step.inquire.of, files, loop);
  for (const { rule } of readyAfterRules(plan)) if (rule.append?.back && !inDatabase(rule.append.table)) files.push(rule.append.table.file);
  if (files.length > 0)
    closing.push(
      watchFiles(
        files.map((file) => project.place(file)),
        () => listener.changed("any"),
      ),
    );
  loop(() => hearWishes(hearing));
  return async () => {
    end.abort();
    await Promise.all(closing.map((close) => close()));
  };
}

interface Hearing {
  readonly project: Project;
  readonly plan: Plan;
  readonly listener: Listener;
  readonly end: AbortSignal;
  readonly lookMs: number;
}

/** Waits; whether it is to go on. */
async function pause({ project, end }: Hearing, ms: number): Promise<boolean> {
  await project.clock.sleep(ms, end).catch(() => undefined);
  return !end.aborted;
}

type InDatabase = TableSource & { readonly database: string };

async function hearDatabase(hearing: Hearing, loop: (work: () => Promise<void>) => void): Promise<() => Promise<void>> {
  const { project, plan, listener } = hearing;
  const source = plan.table as InDatabase & { readonly table?: string };
  const { channelOf, keyTold, tellsOfChanges } = await import("../../adapters/sql/index.js");
  const database = await project.database(source.database);
  if (plan.watch?.by !== undefined && source.table !== undefined) {
    const { by } = plan.watch;
    loop(() => hearColumn(hearing, { ...source, table: source.table!, by }));
    return async () => undefined;
  }
  if (!database.hear || source.table === undefined) {
    loop(() => lookAgainAndAgain(hearing));
    return async () => undefined;
  }
  const close = await database.hear(channelOf(source.table), {
    told: (payload) => {
      const key = keyTold(payload, plan.table.key);
      listener.changed(key === undefined ? "any" : [key]);
    },
    again: () => {
      listener.told(`${source.database} is heard again; ${source.table} is read once from its beginning.`);
      listener.changed("any");
    },
    lost: (problem) => listener.told(`${source.database} is not heard (${problem}); it is tried again.`),
  });
  // As long as the table tells nothing by itself, or no more, it is looked at.
  loop(() => lookAgainAndAgain(hearing, () => tellsOfChanges(database, source.table!)));
  return close;
}

/** Related rows are of many rows of the table: a change of one may concern any. */
async function hearRelated({ project, listener }: Hearing, source: { readonly database: string; readonly table?: string | undefined }) {
  const { channelOf, tellsOfChanges } = await import("../../adapters/sql/index.js");
  const database = await project.database(source.database);
  if (!database.hear || source.table === undefined || !(await tellsOfChanges(database, source.table))) {
    listener.told(`Changes of ${source.database}.${source.table ?? "the related query"} alone start no round: it does not tell of them.`);
    return async (): Promise<void> => undefined;
  }
  return database.hear(channelOf(source.table), {
    told: () => listener.changed("any"),
    again: () => listener.changed("any"),
    lost: (problem) => listener.told(`${source.database} is not heard (${problem}); it is tried again.`),
  });
}

async function hearColumn(hearing: Hearing, source: InDatabase & { readonly table: string; readonly by: string }): Promise<void> {
  const { grownRows } = await import("../../adapters/sql/index.js");
  const database = await hearing.project.database(source.database);
  let reached: Awaited<ReturnType<typeof grownRows>>["reached"];
  do {
    await unlessAway(hearing, async () => {
      const wasReached = reached;
      const found = await grownRows(database, source, reached);
      ({ reached } = found);
      // Of a table that was empty nothing had been reached.
      if (!wasReached && reached) hearing.listener.changed("any");
      else if (found.keys === "any" || found.keys.length > 0) hearing.listener.changed(found.keys);
    });
  } while (await pause(hearing, hearing.lookMs));
}

/** Looks through all rows from time to time, where they do not tell of their changes. */
async function lookAgainAndAgain(hearing: Hearing, tells: () => Promise<boolean> = async () => false): Promise<void> {
  const { project, plan, listener } = hearing;
  const { writtenMark } = await import("../../adapters/sql/index.js");
  const database = await project.database((plan.table as InDatabase).database);
  const name = (plan.table as { readonly table?: string }).table ?? "the query";
  let marks: RowMarks | undefined;
  let mark: string | undefined;
  let wasTold: boolean | undefined;
  let restMs = hearing.lookMs;
  do {
    await unlessAway(hearing, async () => {
      const isTold = await tells();
      if (isTold !== wasTold && (wasTold !== undefined || !isTold))
        listener.told(
          isTold
            ? `${name} tells of its changes; it is not looked through any more.`
            : `${name} ${wasTold ? "tells of its changes no more" : "does not tell of its changes"}: all its rows are looked through from time to time. \`yoroshi watch ${plan.name} --triggers\` prints what its owner can run; or name a growing column: \`watch: { by: … }\`.`,
        );
      // What changed before it was told, or looked at, is found by a whole round.
      if (isTold && wasTold === false) listener.changed("any");
      wasTold = isTold;
      if (isTold) return void (marks = undefined);
      const now = await writtenMark(database);
      if (marks && now !== undefined && now === mark) return;
      mark = now;
      const began = project.clock.now();
      const look = await lookThrough(await project.table(plan), marks);
      const took = project.clock.now() - began;
      if (!marks && took > SLOW_LOOK_MS)
        listener.told(
          `Looking through the ${look.marks.size} rows of ${name} took ${(took / 1000).toFixed(1)} s; it is done at most every ${Math.round(Math.max(hearing.lookMs, RESTS * took) / 1000)} s.`,
        );
      restMs = Math.max(hearing.lookMs, RESTS * took);
      if (!marks) listener.changed("any");
      else if (look.changed.length > 0) listener.changed(look.changed);
      ({ marks } = look);
    });
  } while (await pause(hearing, restMs));
}

/** A table that questions are asked of: a plan's rows change with its fills, and with its own table. */
async function hearAsked(hearing: Hearing, of: string, files: string[], loop: (work: () => Promise<void>) => void): Promise<void> {
  const { project, listener } = hearing;
  const isPlan = await project.isPlan(of);
  if (isPlan) loop(() => hearOtherPlan(hearing, of));
  const source = isPlan ? (await project.plan(of)).table : project.tables.named(of);
  if (!inDatabase(source)) files.push(source.file, filledName(source.file));
  else if (!isPlan) listener.told(`Changes of ${sourceName(source)} alone start no round: it does not tell of them.`);
}

/** Rows that are made of another plan's change when that has been filled. */
async function hearOtherPlan(hearing: Hearing, of: string): Promise<void> {
  const { project, listener } = hearing;
  const newest = async (): Promise<string> => {
    const [run] = (await project.ledger().runs.find("fill", of, 20)).filter(({ cells }) => cells !== 0);
    return run ? `${run.id} ${run.end}` : "";
  };
  let before = await newest();
  while (await pause(hearing, Math.min(hearing.lookMs, 2_000))) {
    const now = await newest();
    if (now !== before) listener.changed("any");
    before = now;
  }
}

/** A folder is looked through: files come and go in it, and change. */
async function hearFolder(hearing: Hearing): Promise<void> {
  const { project, plan, listener, lookMs } = hearing;
  const mark = async (): Promise<string | undefined> => (await project.table(plan)).sourceMark().catch(() => undefined);
  let before = await mark();
  while (await pause(hearing, lookMs)) {
    const now = await mark();
    if (now !== before) listener.changed("any");
    before = now;
  }
}

const WISH_MS = 500;
/** Hears of wishes by other commands, and by the server. */
async function hearWishes(hearing: Hearing): Promise<void> {
  const { project, plan, listener } = hearing;
  const { facts } = project.ledger();
  do {
    const wish = await facts.get(wishName(plan.name));
    if (wish !== undefined && wish !== null && (await facts.swap(wishName(plan.name), wish, null))) listener.changed(wish as Changed);
  } while (await pause(hearing, WISH_MS));
}

/** A database that is away for a while is no reason to stop watching. */
async function unlessAway({ listener, end }: Hearing, work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (end.aborted) return;
    if (!isYoroshiError(error)) throw error;
    listener.told(error.message);
  }
}

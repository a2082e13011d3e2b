import { survey, workOf, type FillSetup } from "../cells/index.js";
import type { Remark } from "../ground/index.js";
import { shownCell } from "../table/index.js";
import type { CellRecord } from "../ledger/index.js";
import { compareDays, LEAST_OF_REFERENCE, type ColumnDrift } from "./compare-days.js";

/** The days with which others are compared. */
export interface Reference {
  readonly from: string;
  readonly to: string;
}

/** One day's answers against the reference. */
export interface DayDrift {
  /** ISO 8601. */
  readonly day: string;
  readonly answers: number;
  /** Empty where the day, or the reference, has too few answers to tell. */
  readonly columns: readonly ColumnDrift[];
  /** Columns that moved beyond chance; `(doubt)` where more answers were in doubt. */
  readonly moved: readonly string[];
}

export interface PlanDrift {
  /** `undefined` as long as no day can be one. */
  readonly reference: (Reference & { readonly answers: number }) | undefined;
  readonly days: readonly DayDrift[];
}

export const DEFAULT_REFERENCE_DAYS = 14;
export const DEFAULT_FALSE_ALARM_DAYS = 100;
export const DOUBT = "(doubt)";
const IN_DOUBT = "in doubt";
/** A number of more values than these is told by tenths of the reference. */
const MOST_VALUES = 20;
const TENTHS = 10;
/** What of an answer's way says that it was not easy. */
const DOUBTFUL = new Set(["inDoubt", "lookedChanged", "mended", "notRenewed"]);

/** Day -> value -> how often. */
type ByDay = Map<string, Map<string, number>>;

/** An answer whose confidence is still to be looked up. */
interface Asked {
  readonly day: string;
  readonly fingerprint: string;
}

/**
 * A plan's answers day by day, by when they were recorded, against those of a reference time.
 *
 * @param options.dayOf the day of a moment, in the project's time zone.
 * @param options.until the last whole day.
 */
export async function planDrift(
  setup: FillSetup,
  options: {
    readonly dayOf: (at: number) => string;
    readonly until: string;
    readonly reference?: Reference | undefined;
    readonly falseAlarmDays?: number | undefined;
  },
): Promise<PlanDrift> {
  const { dayOf, until, falseAlarmDays = DEFAULT_FALSE_ALARM_DAYS } = options;
  const asks = new Map(workOf(setup).steps.flatMap(({ name, does }) => (does.kind === "ask" ? [[name, does] as const] : [])));
  const columns = new Map<string, { readonly isNumber: boolean; readonly byDay: ByDay }>();
  const answers = new Map<string, number>();
  const doubts: ByDay = new Map();
  const unsure: Asked[] = [];
  await survey(setup, undefined, (steps) => {
    for (const { one, rows } of steps ?? []) {
      const does = asks.get(one.name);
      if (!does) continue;
      for (const { record } of rows) {
        if (!record || !isAnswer(record)) continue;
        const day = dayOf(record.at);
        if (day > until) continue;
        answers.set(day, (answers.get(day) ?? 0) + 1);
        if (does.prepared.template.doubt && record.fingerprint !== undefined) unsure.push({ day, fingerprint: record.fingerprint });
        else count(doubts, day, (record.notes ?? []).some(({ code }: Remark) => DOUBTFUL.has(code)) ? IN_DOUBT : "sure");
        for (const { name, type, freeText } of one.targets) {
          const own = columns.get(name) ?? { isNumber: freeText || (type !== "text" && type !== "yesNo"), byDay: new Map() };
          columns.set(name, own);
          const text = shownCell(record.values[name]);
          count(own.byDay, day, freeText ? String(text.length) : text);
        }
      }
    }
  });
  const days = [...answers.keys()].sort();
  const reference = options.reference ?? firstDays(days, answers);
  if (!reference) return { reference: undefined, days: [] };
  const isReference = (day: string): boolean => day >= reference.from && day <= reference.to;
  await countUnsure(setup, unsure, isReference, doubts);
  const sets = [
    ...[...columns].map(([column, { byDay, isNumber }]) => ({
      column,
      byDay: isNumber ? inTenths(byDay, isReference) : byDay,
      grows: undefined,
    })),
    { column: DOUBT, byDay: doubts, grows: IN_DOUBT },
  ];
  const before = sets.map(({ byDay }) => added([...byDay].filter(([day]) => isReference(day)).map(([, counts]) => counts)));
  const told = days
    .filter((day) => day > reference.to)
    .map((day): DayDrift => {
      const compared = compareDays(
        sets.map(({ column, byDay, grows }, index) => ({ column, grows, before: before[index]!, now: byDay.get(day) ?? new Map() })),
        1 / falseAlarmDays,
      );
      return {
        day,
        answers: answers.get(day)!,
        columns: compared,
        moved: compared.filter(({ isMoved }) => isMoved).map(({ column }) => column),
      };
    });
  const ofReference = days.filter(isReference).reduce((sum, day) => sum + answers.get(day)!, 0);
  return { reference: { ...reference, answers: ofReference }, days: told };
}

function count(byDay: ByDay, day: string, value: string, times = 1): void {
  const counts = byDay.get(day) ?? new Map<string, number>();
  byDay.set(day, counts);
  counts.set(value, (counts.get(value) ?? 0) + times);
}

const LOOKED_UP = 500;

/** Answers whose confidence is known are in doubt where it is below the lowest tenth of the reference. */
async function countUnsure(
  { ledger }: FillSetup,
  asked: readonly Asked[],
  isReference: (day: string) => boolean,
  doubts: ByDay,
): Promise<void> {
  const known: { readonly day: string; readonly confidence: number }[] = [];
  for (let from = 0; from < asked.length; from += LOOKED_UP) {
    const some = asked.slice(from, from + LOOKED_UP);
    const found = await ledger.answers.find(some.map(({ fingerprint }) => fingerprint));
    for (const [index, { day }] of some.entries()) {
      const confidence = found[index]?.answer.confidence?.value;
      if (confidence !== undefined) known.push({ day, confidence });
    }
  }
  const sure = known.filter(({ day }) => isReference(day)).map(({ confidence }) => confidence);
  sure.sort((a, b) => a - b);
  const edge = sure[Math.floor(sure.length / TENTHS)];
  for (const { day, confidence } of known) count(doubts, day, edge !== undefined && confidence < edge ? IN_DOUBT : "sure");
}

const isAnswer = ({ state, values }: CellRecord): boolean => (state === "filled" || state === "edited") && Object.keys(values).length > 0;

/** The first days with answers: fourteen, and more where these have too few answers to tell; none as long as there are not so many. */
function firstDays(days: readonly string[], answers: ReadonlyMap<string, number>): Reference | undefined {
  let sum = 0;
  for (const [index, day] of days.entries()) {
    sum += answers.get(day)!;
    if (index + 1 >= DEFAULT_REFERENCE_DAYS && sum >= LEAST_OF_REFERENCE) return { from: days[0]!, to: day };
  }
  return undefined;
}

function added(all: readonly ReadonlyMap<string, number>[]): Map<string, number> {
  const sum = new Map<string, number>();
  for (const counts of all) for (const [value, count] of counts) sum.set(value, (sum.get(value) ?? 0) + count);
  return sum;
}

/** Numbers of many values by the tenth of the reference in which they lie. */
function inTenths(byDay: ByDay, isReference: (day: string) => boolean): ByDay {
  const counts = added([...byDay].filter(([day]) => isReference(day)).map(([, own]) => own));
  const numbers = [...counts].filter(([value]) => value !== "").sort(([a], [b]) => Number(a) - Number(b));
  if (numbers.length <= MOST_VALUES) return byDay;
  const all = numbers.reduce((sum, [, times]) => sum + times, 0);
  const edges: number[] = [];
  let passed = 0;
  for (const [value, times] of numbers) {
    passed += times;
    if (passed >= (all * (edges.length + 1)) / TENTHS && edges.length < TENTHS - 1) edges.push(Number(value));
  }
  const tenth = (value: number): string => {
    const above = edges.findIndex((edge) => value <= edge);
    return above === 0 ? `up to ${edges[0]!}` : above < 0 ? `above ${edges.at(-1)!}` : `above ${edges[above - 1]!}, up to ${edges[above]!}`;
  };
  const made: ByDay = new Map();
  for (const [day, own] of byDay) for (const [value, times] of own) count(made, day, value === "" ? "" : tenth(Number(value)), times);
  return made;
}

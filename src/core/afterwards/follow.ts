import {
  considerAll,
  readWritten,
  rowFor,
  ruledCells,
  setCells,
  workOf,
  type FillSetup,
  type Passing,
  type StepWork,
  type Work,
} from "../cells/index.js";
import { canonicalJson, patternsReady, sha256Hex } from "../ground/index.js";
import type { AfterRecord, CellRecord, NoticeRecord } from "../ledger/index.js";
import {
  AFTER_STEP,
  isTemplateStep,
  readyAfterRules,
  ruledColumns,
  setFingerprint,
  stepsByRule,
  type ReadyAfterRule,
} from "../plan/index.js";
import { joinKey, keyColumnsOf, type CellValue } from "../table/index.js";
import { considerRules, type RuleAct, type RuledRow } from "./consider-rules.js";
import { otherTables, otherWrittenAt, type OtherTable } from "./other-tables.js";
import { ruleTimes } from "./rule-times.js";

/** What one rule did over the rows of a table. */
export interface RuleTally {
  /** Rows for which it set columns. */
  set: number;
  /** Rows that it appended, or whose appended row has changed; and that it took off. */
  appended: number;
  takenOff: number;
  /** Messages that it has to send. */
  messages: number;
  /** Rows for which its step is to be done. */
  steps: number;
  /** Rows that wait until what it reads is settled. */
  waits: number;
  /** Rows for which it could not be decided, and why for the first few. */
  unclear: number;
  problems: string[];
  /** The first rows that it acted on. */
  keys: string[];
}

export interface FollowOptions {
  /** The run that the rules follow. */
  readonly run: string;
  /** Rows that a rule has never considered are causes, however old they are. */
  readonly fromStart?: boolean | undefined;
  /** Nothing is recorded. */
  readonly dryRun?: boolean | undefined;
  /** Row -> columns of its appended rows that were changed in both places: what was last agreed on stays. */
  readonly disputed?: ReadonlyMap<string, readonly string[]> | undefined;
  /** Most actions. */
  readonly actions?: number | undefined;
}

/** What the rules of a plan made of its rows. */
export interface Followed {
  readonly rules: Readonly<Record<string, RuleTally>>;
  /** Rows left for the next time, since the limit of actions was reached. */
  readonly postponed: number;
  /** Columns of the plan's own table have new values. */
  readonly changesHere: boolean;
  /** Steps that are to be done now. */
  readonly steps: readonly string[];
  /** Other tables, by name, in which something is to be written. */
  readonly others: readonly string[];
}

const MOST_KEYS = 5;
const MOST_PROBLEMS = 3;

/**
 * Lets the rules of a plan act on its rows as they now stand. What they make of a row, the columns that they set and the messages that
 * they have to send are recorded together, so that neither a crash nor an outage loses or doubles any of it; tables are written, steps
 * done and messages sent from the ledger afterwards.
 */
export async function followRules(setup: FillSetup, options: FollowOptions): Promise<Followed> {
  const work = { ...workOf(setup), writtenAt: (await readWritten(setup)).at };
  const follow = new Following(work, options, { since: await ruleTimes(setup), fromStart: options.fromStart === true });
  await patternsReady();
  for await (const steps of considerAll(work)) {
    const rows = steps[0]?.rows ?? [];
    const known = await work.ledger.afterwards.find(
      work.plan.name,
      rows.map(({ passed }) => passed.row.key),
    );
    for (const [index, { passed }] of rows.entries()) {
      const considered = steps.map(({ one, rows: own }) => ({ one, ...own[index]! }));
      follow.row(passed, considered, known.get(passed.row.key));
    }
    await follow.commit();
  }
  if (!follow.isCut) await follow.gone();
  return follow.report();
}

type Considered = {
  readonly one: StepWork;
  readonly record: CellRecord | undefined;
  readonly decision: { readonly do: string; readonly state?: string };
};

/** One pass of rules over a table. */
class Following {
  readonly #rules: readonly ReadyAfterRule[];
  readonly #tallies: Record<string, RuleTally> = {};
  readonly #others: readonly OtherTable[];
  readonly #touched = new Set<string>();
  readonly #due = new Set<string>();
  readonly #byRule: ReadonlySet<string>;
  /** Of the rows that are on lists of other tables: those that the plan's table still has. */
  readonly #stillThere = new Set<string>();
  #changesHere = false;
  #actions = 0;
  #postponed = 0;
  #states: AfterRecord[] = [];
  #cells: CellRecord[] = [];
  #notices: NoticeRecord[] = [];
  readonly #there = new Map<string, SetThere>();
  /** Columns that rules set are blank until one does. */
  readonly #unset: Readonly<Record<string, CellValue>>;

  constructor(
    readonly work: Work,
    readonly options: FollowOptions,
    readonly times: { readonly since: Readonly<Record<string, number>>; readonly fromStart: boolean },
  ) {
    this.#rules = readyAfterRules(work.plan);
    this.#unset = Object.fromEntries(ruledColumns(work.plan).map(({ name }) => [name, ""]));
    this.#others = otherTables(work.plan);
    this.#byRule = new Set(stepsByRule(work.plan).keys());
    for (const { id } of this.#rules)
      this.#tallies[id] = { set: 0, appended: 0, takenOff: 0, messages: 0, steps: 0, waits: 0, unclear: 0, problems: [], keys: [] };
  }

  /** Whether the limit of actions was reached, so that not all rows were considered. */
  get isCut(): boolean {
    return this.#postponed > 0;
  }

  row(passed: Passing, steps: readonly Considered[], known: AfterRecord | undefined): void {
    const { key } = passed.row;
    if (known && isListed(known)) this.#stillThere.add(key);
    if (passed.isFrozen || passed.row.problem !== undefined) return;
    const row = this.#ruledRow(passed, steps);
    const { first = false } = this.work.plan.afterwards ?? {};
    const { acts, rules, waits } = considerRules(this.#rules, first, row, known?.rules, this.times);
    if (acts.length > 0 && this.#actions + acts.length > (this.options.actions ?? Infinity)) {
      this.#postponed++;
      return;
    }
    for (const id of waits) this.#tallies[id]!.waits++;
    for (const act of acts) this.#act(act, passed, steps);
    this.#actions += acts.length;
    if (!rules) return;
    const kept = this.#asAgreed(rules, known?.rules, this.options.disputed?.get(key));
    const state = { plan: this.work.plan.name, key, rules: kept, at: this.work.clock.now() };
    if (isListed(state)) this.#stillThere.add(key);
    this.#states.push(state);
  }

  #asAgreed(
    rules: AfterRecord["rules"],
    known: AfterRecord["rules"] | undefined,
    columns: readonly string[] | undefined,
  ): AfterRecord["rules"] {
    if (!columns) return rules;
    return Object.fromEntries(
      Object.entries(rules).map(([id, state]) => {
        const before = known?.[id]?.gives;
        if (!before || !state.gives) return [id, state];
        const agreed = Object.fromEntries(columns.flatMap((column) => (column in before ? [[column, before[column]!]] : [])));
        return [id, { ...state, gives: { ...state.gives, ...agreed } }];
      }),
    );
  }

  #ruledRow(passed: Passing, steps: readonly Considered[]): RuledRow {
    const open = new Set<string>();
    const kept = new Set<string>();
    let at = 0;
    for (const { one, record, decision } of steps) {
      const isSettled =
        (decision.do === "leave" || decision.do === "mark") && ["filled", "edited", "skipped"].includes(decision.state ?? "");
      for (const { name } of one.targets) {
        if (record?.edited?.[name] !== undefined) kept.add(name);
        else if (!isSettled || record?.held?.values[name] !== undefined) open.add(name);
      }
      if (one.name !== AFTER_STEP) at = Math.max(at, record?.at ?? 0);
    }
    return { key: passed.row.key, values: { ...this.#unset, ...rowFor(passed) }, open, kept, at };
  }

  #act(act: RuleAct, passed: Passing, steps: readonly Considered[]): void {
    const { rule, holds, held, set, gives, send, problem } = act;
    const tally = this.#tallies[rule.id]!;
    const { key } = passed.row;
    if (tally.keys.length < MOST_KEYS) tally.keys.push(key);
    if (problem !== undefined) {
      tally.unclear++;
      if (tally.problems.length < MOST_PROBLEMS && !tally.problems.includes(problem)) tally.problems.push(problem);
    }
    if (set) {
      tally.set++;
      if (rule.rule.in) this.#setThere(rule, set, passed);
      else this.#setHere(set, passed, steps);
    }
    if (rule.rule.append && (gives || held !== holds)) {
      tally[gives ? "appended" : "takenOff"]++;
      this.#touch(rule, "append");
    }
    if (rule.rule.step !== undefined && holds) {
      tally.steps++;
      this.#due.add(rule.rule.step);
    }
    if (send) {
      tally.messages++;
      this.#notices.push(this.#notice(rule, key, send));
    }
  }

  #touch(rule: ReadyAfterRule, what: OtherTable["what"]): OtherTable {
    const other = this.#others.find((one) => one.what === what && one.rules.some(({ id }) => id === rule.id))!;
    this.#touched.add(other.name);
    return other;
  }

  #setHere(set: Readonly<Record<string, CellValue>>, passed: Passing, steps: readonly Considered[]): void {
    const { one, record: known } = steps.find((step) => step.one.name === AFTER_STEP)!;
    const index = this.#cells.findIndex(({ key, plan }) => key === passed.row.key && plan === this.work.plan.name);
    const values = { ...(this.#cells[index] ?? known)?.values, ...set };
    if (canonicalJson(values) === canonicalJson((this.#cells[index] ?? known)?.values ?? {})) return;
    this.#changesHere = true;
    const made = setCells(this.work, { one, passed, record: known }, values, setFingerprint(values), this.options.run);
    if (index < 0) this.#cells.push(made);
    else this.#cells[index] = made;
  }

  #setThere(rule: ReadyAfterRule, set: Readonly<Record<string, CellValue>>, passed: Passing): void {
    const other = this.#touch(rule, "set");
    const { match } = rule.rule.in!;
    const row = rowFor(passed);
    const key = joinKey(keyColumnsOf(other.source.key).map((column) => String(row[match[column]!] ?? "")));
    const before = this.#there.get(`${other.name} ${key}`);
    this.#there.set(`${other.name} ${key}`, { name: other.name, key, values: { ...before?.values, ...set } });
  }

  #notice({ id: rule, rule: { notify } }: ReadyAfterRule, key: string, columns: Readonly<Record<string, CellValue>>): NoticeRecord {
    const { plan, clock } = this.work;
    const at = clock.now();
    const chance = clock.random();
    const id = `row_${sha256Hex(canonicalJson([plan.name, rule, key, at, chance, columns])).slice(0, 24)}`;
    return { id, plan: plan.name, rule, key, at, columns: notify ? columns : {}, state: "waiting", attempts: 0 };
  }

  /** Records what the last rows came to, all of it or nothing. */
  async commit(): Promise<void> {
    const [afterwards, notices, there] = [this.#states, this.#notices, [...this.#there.values()]];
    const own = this.#cells;
    [this.#states, this.#cells, this.#notices] = [[], [], []];
    this.#there.clear();
    if (this.options.dryRun || afterwards.length + own.length + notices.length === 0) return;
    await this.work.ledger.record({ afterwards, cells: [...own, ...(await this.#cellsThere(there))], notices });
  }

  /** The cells of other tables' rows, with what the ledger knows of these. */
  async #cellsThere(set: readonly SetThere[]): Promise<CellRecord[]> {
    const { ledger, clock } = this.work;
    const cells: CellRecord[] = [];
    for (const name of new Set(set.map((one) => one.name))) {
      const mine = set.filter((one) => one.name === name);
      const writtenAt = await otherWrittenAt(ledger, name);
      const known = await ledger.cells.find(
        name,
        AFTER_STEP,
        mine.map(({ key }) => key),
      );
      for (const { key, values: set } of mine) {
        const before = known.get(key);
        const values = { ...before?.values, ...set };
        if (!before || canonicalJson(before.values) !== canonicalJson(values))
          cells.push(ruledCells({ plan: name, key, values, before, writtenAt, run: this.options.run, now: clock.now() }));
      }
    }
    return cells;
  }

  /** What rules made of rows that are looked at: of all, or of the part of the table that there is. */
  async *#known(): AsyncIterable<readonly AfterRecord[]> {
    const { ledger, plan, table } = this.work;
    if (!table.onlyKeys) return yield* ledger.afterwards.all(plan.name);
    yield [...(await ledger.afterwards.find(plan.name, [...table.onlyKeys])).values()];
  }

  /** Rows that the table no longer has are taken off the lists that they are on. */
  async gone(): Promise<void> {
    for await (const some of this.#known()) {
      for (const { key, rules } of some) {
        if (this.#stillThere.has(key)) continue;
        const listed = this.#rules.filter(({ id }) => rules[id]?.gives !== undefined);
        if (listed.length === 0) continue;
        for (const rule of listed) {
          this.#tallies[rule.id]!.takenOff++;
          this.#touch(rule, "append");
        }
        const off = listed.map(({ id }) => [id, { seen: rules[id]!.seen, holds: false, gave: rules[id]!.gives, gone: true as const }]);
        this.#states.push({
          plan: this.work.plan.name,
          key,
          rules: { ...rules, ...(Object.fromEntries(off) as AfterRecord["rules"]) },
          at: this.work.clock.now(),
        });
      }
      await this.commit();
    }
  }

  report(): Followed {
    return {
      rules: this.#tallies,
      postponed: this.#postponed,
      changesHere: this.#changesHere,
      steps: [...this.#due].filter((step) => this.#byRule.has(step) && isTemplateStep(this.work.plan.steps[step]!)),
      others: [...this.#touched],
    };
  }
}

/** Whether a row stands on a list of another table. */
const isListed = ({ rules }: AfterRecord): boolean => Object.values(rules).some(({ gives }) => gives !== undefined);

/** Values for a row of another table. */
interface SetThere {
  readonly name: string;
  readonly key: string;
  readonly values: Readonly<Record<string, CellValue>>;
}

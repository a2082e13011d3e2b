import { countedFigures, type ColumnFigures } from "../view/index.js";
import { wilson, type Interval } from "../statistics/index.js";

/** Beyond so many different values the rarer ones are counted together. */
const MOST_DIFFERENT = 5_000;
/** Free words with no more different values than this are counted like options. */
const FEW_DIFFERENT = 40;
const MOST_SHARES = 20;

/** Rows with a value, of those with any. */
export interface Share extends Interval {
  readonly value: string;
  readonly rows: number;
  readonly share: number;
}

/** How long texts are, in characters. */
export interface Lengths {
  readonly least: number;
  readonly mean: number;
  readonly most: number;
  /** By size: up to so many characters. */
  readonly bins: readonly { readonly upTo: number; readonly rows: number }[];
}

/** One group of rows, by what stands in another column or by time, and how often each value occurs in it. */
export interface GroupTally {
  readonly group: string;
  readonly rows: number;
  readonly counts: Readonly<Record<string, number>>;
}

const LENGTHS = [20, 50, 100, 200, 500, 1_000, 2_000, 5_000];
const MOST_GROUPS = 60;

/** Counts the values of one filled column while rows go by; of texts, which hardly repeat, only how long they are. */
export class ColumnTally {
  readonly #counts = new Map<string, number>();
  #rows = 0;
  #others = 0;
  readonly #lengths = { rows: 0, sum: 0, least: Number.POSITIVE_INFINITY, most: 0, bins: LENGTHS.map(() => 0), longer: 0 };
  /** Rows recorded since the last report, and all before them. */
  readonly #since = new Map<string, number>();
  readonly #before = new Map<string, number>();
  readonly #over = new Map<string, Map<string, number>>();
  readonly #across = new Map<string, Map<string, number>>();

  #isText = false;

  /** @param isFree whether it may hold a model's own words. */
  constructor(readonly isFree: boolean) {}

  get isText(): boolean {
    return this.#isText;
  }

  add(
    value: string,
    {
      isNew,
      period,
      group,
    }: { readonly isNew?: boolean | undefined; readonly period?: string | undefined; readonly group?: string | undefined },
  ): void {
    this.#rows++;
    if (this.isFree) this.#measure(value);
    if (this.#isText) return bump(this.#counts, value === "" ? "" : "(text)");
    if (this.isFree && this.#counts.size > FEW_DIFFERENT) return this.#becomeText(value);
    if (this.#counts.has(value) || this.#counts.size < MOST_DIFFERENT) bump(this.#counts, value);
    else this.#others++;
    if (value === "") return;
    if (isNew !== undefined) bump(isNew ? this.#since : this.#before, value);
    if (period !== undefined) bump(groupOf(this.#over, period), value);
    if (group !== undefined) bump(groupOf(this.#across, group), value);
  }

  #becomeText(value: string): void {
    this.#isText = true;
    const blank = (this.#counts.get("") ?? 0) + (value === "" ? 1 : 0);
    for (const counts of [this.#counts, this.#since, this.#before, this.#over, this.#across]) counts.clear();
    this.#counts.set("", blank).set("(text)", this.#rows - blank);
  }

  #measure(value: string): void {
    if (value === "") return;
    const lengths = this.#lengths;
    lengths.rows++;
    lengths.sum += value.length;
    lengths.least = Math.min(lengths.least, value.length);
    lengths.most = Math.max(lengths.most, value.length);
    const bin = LENGTHS.findIndex((upTo) => value.length <= upTo);
    if (bin < 0) lengths.longer++;
    else lengths.bins[bin]!++;
  }

  figures(): ColumnFigures {
    const figures = countedFigures(new Map(this.#counts), this.#rows);
    return { ...figures, others: figures.others + this.#others };
  }

  lengths(): Lengths | undefined {
    const { rows, sum, least, most, bins, longer } = this.#lengths;
    if (!this.#isText || rows === 0) return undefined;
    const all = [...bins.map((own, index) => ({ upTo: LENGTHS[index]!, rows: own })), { upTo: most, rows: longer }];
    return { least, most, mean: Math.round(sum / rows), bins: all.filter((bin) => bin.rows > 0) };
  }

  /** The shares of the most frequent values among the rows with one. */
  shares(): Share[] {
    const total = this.#rows - (this.#counts.get("") ?? 0);
    return this.#isText ? [] : sharesOf(this.#counts, total).slice(0, MOST_SHARES);
  }

  /** How often values occur in the rows that are new since the last report, and in all before. */
  twoTimes(): { readonly before: ReadonlyMap<string, number>; readonly since: ReadonlyMap<string, number> } {
    return { before: this.#before, since: this.#since };
  }

  over(): GroupTally[] {
    return groupsOf(this.#over).sort((a, b) => (a.group < b.group ? -1 : 1));
  }

  across(): GroupTally[] {
    return groupsOf(this.#across).sort((a, b) => b.rows - a.rows || (a.group < b.group ? -1 : 1));
  }
}

function bump(counts: Map<string, number>, value: string): void {
  counts.set(value, (counts.get(value) ?? 0) + 1);
}

function groupOf(groups: Map<string, Map<string, number>>, name: string): Map<string, number> {
  let group = groups.get(name);
  if (!group) groups.set(groups.size < MOST_GROUPS ? name : "(others)", (group = groups.get("(others)") ?? new Map()));
  return group;
}

const total = (counts: ReadonlyMap<string, number>): number => [...counts.values()].reduce((sum, count) => sum + count, 0);

const groupsOf = (groups: ReadonlyMap<string, ReadonlyMap<string, number>>): GroupTally[] =>
  [...groups].map(([group, counts]) => ({ group, rows: total(counts), counts: Object.fromEntries(counts) }));

/** Shares of counts, the greatest first, with Wilson's interval each. */
export function sharesOf(counts: ReadonlyMap<string, number>, all = total(counts)): Share[] {
  return [...counts]
    .filter(([value]) => value !== "")
    .map(([value, rows]) => ({ value, rows, share: all === 0 ? 0 : rows / all, ...wilson(rows, all) }))
    .sort((a, b) => b.rows - a.rows || (a.value < b.value ? -1 : 1));
}

import { sentenceOf, YoroshiError } from "../ground/index.js";
import { absorbEdits, seenRows, typed, workOf, type FillSetup, type SeenCell, type SeenRow, type Target } from "../cells/index.js";
import type { CellState } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import { columnNamed, isNumber, rowTest, type QueriedRow, type ViewQuery, type ViewSort } from "./query.js";

/** A column of a table, as a person sees it. */
export interface ViewColumn {
  readonly name: string;
  /** Of a column that the plan fills: the step, and the kind of the answer's part; a plain column has none. */
  readonly filled?: { readonly step: string; readonly part?: string | undefined; readonly kind?: string | undefined } | undefined;
}

/** How a filled cell stands; left out of a page where it is simply filled. */
export interface ViewState {
  readonly state: CellState;
  readonly reason?: string | undefined;
  /** What waits for a decision. */
  readonly held?: string | undefined;
  /** Who put the value there, and why. */
  readonly by?: SeenCell["by"];
}

export interface ViewRow {
  readonly key: string;
  readonly place: string;
  /** In the order of the columns. */
  readonly values: readonly string[];
  /** Column -> how its cell stands, where it is not simply filled. */
  readonly states: Readonly<Record<string, ViewState>>;
  /** Why the row cannot be used. */
  readonly problem?: string | undefined;
}

export interface ViewPage {
  /** All rows of the table; those that the query finds; the first of the page among them. */
  readonly rows: number;
  readonly found: number;
  readonly from: number;
  readonly page: readonly ViewRow[];
}

/** How the cells of the rows stand that a query finds. */
export interface ViewStanding {
  readonly found: number;
  /** Filled column -> how many of its cells stand in each state. */
  readonly columns: Readonly<Record<string, Readonly<Partial<Record<CellState, number>>>>>;
  /** State -> how many rows have a cell that stands so. */
  readonly rows: Readonly<Partial<Record<CellState, number>>>;
}

/** What a person is told of: everything but a cell that is simply filled, or not yet asked about. */
const TOLD: ReadonlySet<CellState> = new Set(["stale", "edited", "held", "failed", "skipped"]);

/** The most rows that a view holds: beyond, a table is filled and reviewed all the same, but not looked at as a whole. */
const MOST_ROWS = 1_000_000;
const CACHED = 12;
const STATES: readonly CellState[] = ["blank", "filled", "stale", "edited", "held", "failed", "skipped"];

/** What the view keeps of a filled column. */
interface FilledColumn {
  readonly target: Target;
  readonly step: string;
  readonly values: string[];
  /** With room for more rows than there are. */
  states: Uint8Array;
  reasons: Uint32Array;
  /** Row -> what waits. */
  readonly held: Map<number, string>;
  /** Row -> who changed it. */
  readonly by: Map<number, NonNullable<SeenCell["by"]>>;
}

/**
 * A plan's table as it stood at one moment, with the columns that the plan fills: for pages of rows, sorted, filtered and searched, and for
 * figures of a column. It holds all rows, so that a page takes no longer than a look over them; what changes in the ledger is brought in by
 * `renew`.
 */
export interface TableView {
  readonly columns: readonly ViewColumn[];
  readonly rows: number;
  /** @throws YoroshiError `notFound` for a column that is not there, `badOption` for a condition that cannot be read. */
  page(query: ViewQuery, about: { readonly from: number; readonly limit: number }): ViewPage;
  /** The values, and states where it is filled, of one column in the rows that a query finds, in the table's order. */
  column(name: string, query: ViewQuery): { readonly values: readonly string[]; readonly states: readonly CellState[] | undefined };
  /** How the cells of these rows stand. */
  standing(query: ViewQuery): ViewStanding;
  /** Where a row stands among those that a query finds, from 0; `undefined` where it is not among them. */
  placeOf(query: ViewQuery, key: string): number | undefined;
  /** The next place, or the one before, at which a row has a cell that a person is told something of. */
  nextNoted(query: ViewQuery, from: number, back: boolean): { readonly place: number; readonly key: string } | undefined;
  /** The keys of the rows that a query finds, in its order. */
  keys(query: ViewQuery): string[];
  /** Looks for what a person has changed where results go, and records it. */
  absorb(): Promise<void>;
  /** Brings in how the cells of these rows stand now; keys that the table lacks are left out. Returns how many rows were looked at. */
  renew(keys: Iterable<string>): Promise<number>;
}

/** A view that is being read. */
export interface OpeningView {
  /** Grows while the table is read: what it gives is of the rows so far. */
  readonly view: TableView;
  /** How much of the table is read, 0 to 1. */
  readonly share: number;
  /** The same view once it has every row. Rejects where the table cannot be read. */
  readonly whole: Promise<TableView>;
}

/**
 * Reads a plan's table into a view. Asks nothing.
 *
 * @throws YoroshiError `tableTooLarge` beyond a million rows.
 */
export async function openView(setup: FillSetup): Promise<TableView> {
  await absorbEdits(workOf(setup), "status");
  return (await beginView(setup)).whole;
}

/**
 * Begins to read a plan's table into a view, whose first rows can be looked at meanwhile. What a person changed where results go is not
 * looked for: that is `absorb`, once the view is whole.
 */
export async function beginView(setup: FillSetup): Promise<OpeningView> {
  const source = await setup.table.columns();
  const view = new HeldView(setup, source, filledColumns(setup));
  const opening = { view, share: 0, whole: Promise.resolve<TableView>(view) };
  const table = Object.create(setup.table, { read: { value: told } }) as FillSetup["table"];
  opening.whole = fillView(view, { ...setup, table });
  return opening;

  async function* told(...about: Parameters<FillSetup["table"]["read"]>): ReturnType<FillSetup["table"]["read"]> {
    for await (const chunk of setup.table.read(...about)) {
      opening.share = chunk.share;
      yield chunk;
    }
  }
}

async function fillView(view: HeldView, setup: FillSetup): Promise<TableView> {
  for await (const seen of seenRows(setup, undefined, { absorbs: false })) {
    if (view.rows + seen.length > MOST_ROWS) throw new YoroshiError("tableTooLarge", { table: setup.table.name, rows: MOST_ROWS });
    view.add(seen);
  }
  return view;
}

function filledColumns(setup: FillSetup): FilledColumn[] {
  return workOf(setup).steps.flatMap(({ name, targets }) =>
    targets.map((target) => ({
      target,
      step: name,
      values: [],
      states: new Uint8Array(0),
      reasons: new Uint32Array(0),
      held: new Map(),
      by: new Map(),
    })),
  );
}

/** The same numbers with room for so many, and as many again. */
function withRoom<T extends Uint8Array | Uint32Array>(numbers: T, count: number, make: new (length: number) => T): T {
  if (numbers.length >= count) return numbers;
  const wider = new make(count * 2);
  wider.set(numbers);
  return wider;
}

/** Sentences, each kept once. */
class Reasons {
  readonly #sentences = [""];
  readonly #numbers = new Map<string, number>();

  numberOf(sentence: string): number {
    let number = this.#numbers.get(sentence);
    if (number === undefined) this.#numbers.set(sentence, (number = this.#sentences.push(sentence) - 1));
    return number;
  }

  at(number: number): string {
    return this.#sentences[number]!;
  }
}

class HeldView implements TableView {
  readonly columns: readonly ViewColumn[];
  readonly #names: readonly string[];
  readonly #filled: ReadonlyMap<string, FilledColumn>;
  readonly all: Row[] = [];
  readonly reasons = new Reasons();
  readonly #places = new Map<string, number>();
  /** Column -> the place of each row when sorted by it; equal values have the same. */
  readonly #ranks = new Map<string, Uint32Array>();
  readonly #found = new Map<string, Uint32Array>();
  readonly #sorted = new Map<string, Uint32Array>();
  readonly #standing = new Map<string, ViewStanding>();

  constructor(
    readonly setup: FillSetup,
    source: readonly string[],
    filled: readonly FilledColumn[],
  ) {
    this.#filled = new Map(filled.map((one) => [one.target.name, one]));
    this.#names = [...source, ...filled.map(({ target }) => target.name).filter((name) => !source.includes(name))];
    this.columns = this.#names.map((name) => {
      const own = this.#filled.get(name);
      if (!own) return { name };
      const { part } = own.target;
      return { name, filled: { step: own.step, ...(part ? { part: part.name, kind: part.spec.kind } : {}) } };
    });
  }

  /** Further rows, in the table's order. */
  add(seen: readonly SeenRow[]): void {
    const from = this.all.length;
    for (const own of this.#filled.values()) {
      own.states = withRoom(own.states, from + seen.length, Uint8Array);
      own.reasons = withRoom(own.reasons, from + seen.length, Uint32Array);
    }
    for (const [index, one] of seen.entries()) {
      this.all.push(one.row);
      if (!this.#places.has(one.row.key)) this.#places.set(one.row.key, from + index);
      this.put(from + index, one);
    }
    this.#forget();
  }

  /** What was found and counted of the rows as they stood. */
  #forget(): void {
    this.#ranks.clear();
    this.#found.clear();
    this.#sorted.clear();
    this.#standing.clear();
  }

  get rows(): number {
    return this.all.length;
  }

  put(index: number, { cells }: SeenRow): void {
    for (const { column, value, state, reason, held, by } of cells) {
      const own = this.#filled.get(column)!;
      own.values[index] = value;
      own.states[index] = STATES.indexOf(state);
      own.reasons[index] = reason ? this.reasons.numberOf(sentenceOf(reason)) : 0;
      keep(own.held, index, held);
      keep(own.by, index, by);
    }
  }

  async absorb(): Promise<void> {
    await absorbEdits(workOf(this.setup), "status");
  }

  async renew(keys: Iterable<string>): Promise<number> {
    const places = [...new Set(keys)].flatMap((key) => this.#places.get(key) ?? []);
    if (places.length === 0) return 0;
    const rows = places.map((place) => this.all[place]!);
    let next = 0;
    for await (const seen of seenRows(this.setup, rows)) for (const one of seen) this.put(places[next++]!, one);
    this.#forget();
    return places.length;
  }

  page(query: ViewQuery, { from, limit }: { readonly from: number; readonly limit: number }): ViewPage {
    const found = this.#sort(query);
    const page = [...found.subarray(from, from + limit)].map((index) => this.#rowAt(index));
    return { rows: this.rows, found: found.length, from, page };
  }

  column(name: string, query: ViewQuery): { readonly values: readonly string[]; readonly states: readonly CellState[] | undefined } {
    columnNamed(this.#names, name);
    const found = [...this.#find(query)];
    const own = this.#filled.get(name);
    return { values: found.map((index) => this.#value(name, index)), states: own && found.map((index) => STATES[own.states[index]!]!) };
  }

  standing(query: ViewQuery): ViewStanding {
    return cached(this.#standing, JSON.stringify([query.search, query.filters, query.where, query.states]), () => {
      const found = this.#find(query);
      const columns: Record<string, Partial<Record<CellState, number>>> = {};
      const seen = new Uint8Array(this.rows);
      for (const [name, { states }] of this.#filled) {
        const counts = new Uint32Array(STATES.length);
        for (const index of found) {
          counts[states[index]!]!++;
          seen[index]! |= 1 << states[index]!;
        }
        columns[name] = byState(counts);
      }
      const rows = new Uint32Array(STATES.length);
      for (const index of found) for (const state of STATES.keys()) if (seen[index]! & (1 << state)) rows[state]!++;
      return { found: found.length, columns, rows: byState(rows) };
    });
  }

  keys(query: ViewQuery): string[] {
    return [...this.#sort(query)].map((index) => this.all[index]!.key);
  }

  placeOf(query: ViewQuery, key: string): number | undefined {
    const index = this.#places.get(key);
    const place = index === undefined ? -1 : this.#sort(query).indexOf(index);
    return place < 0 ? undefined : place;
  }

  nextNoted(query: ViewQuery, from: number, back: boolean): { readonly place: number; readonly key: string } | undefined {
    const found = this.#sort(query);
    const step = back ? -1 : 1;
    for (let place = from + step; place >= 0 && place < found.length; place += step)
      if (this.#stands(found[place]!, TOLD)) return { place, key: this.all[found[place]!]!.key };
    return undefined;
  }

  #stands(index: number, wanted: ReadonlySet<CellState>): boolean {
    for (const { states } of this.#filled.values()) if (wanted.has(STATES[states[index]!]!)) return true;
    return false;
  }

  #rowAt(index: number): ViewRow {
    const row = this.all[index]!;
    const states: Record<string, ViewState> = {};
    for (const [name, own] of this.#filled) {
      const state = STATES[own.states[index]!]!;
      const reason = this.reasons.at(own.reasons[index]!);
      const held = own.held.get(index);
      if (state !== "filled" || held !== undefined) states[name] = stateAt(state, reason, held, own.by.get(index));
    }
    const values = this.#names.map((name) => this.#value(name, index));
    return { key: row.key, place: row.place, values, states, ...(row.problem === undefined ? {} : { problem: row.problem }) };
  }

  #value(column: string, index: number): string {
    return this.#filled.get(column)?.values[index] ?? this.all[index]!.values[column] ?? "";
  }

  /** The rows that a query finds, in the table's order. */
  #find(query: ViewQuery): Uint32Array {
    const { search, filters, where, states } = query;
    return cached(this.#found, JSON.stringify([search, filters, where, states]), () => {
      const test = rowTest(query, this.#names);
      const found = new Uint32Array(this.rows);
      let count = 0;
      let at = 0;
      const row: QueriedRow = {
        value: (column) => this.#value(column, at),
        state: (column) => STATES[this.#filled.get(column)?.states[at] ?? -1],
        reason: (column) => this.reasons.at(this.#filled.get(column)?.reasons[at] ?? 0),
        stands: (wanted) => this.#stands(at, wanted),
        typed: (columns) => this.#typed(at, columns),
      };
      for (at = 0; at < this.rows; at++) if (test(row)) found[count++] = at;
      return found.slice(0, count);
    });
  }

  /** Of the columns that a condition names, so that no row is copied whole. */
  #typed(index: number, columns: readonly string[]): Record<string, unknown> {
    const { values, numbers } = this.all[index]!;
    const row: Record<string, unknown> = {};
    for (const name of columns) {
      const own = this.#filled.get(name);
      row[name] = own ? typed(own.target, own.values[index]!) : (numbers?.[name] ?? values[name]);
    }
    return row;
  }

  #sort(query: ViewQuery): Uint32Array {
    const { sort = [] } = query;
    const found = this.#find(query);
    if (sort.length === 0) return found;
    return cached(this.#sorted, JSON.stringify(query), () => {
      const keys = sort.map((one) => this.#sortKey(one));
      return found.slice().sort((a, b) => {
        for (const key of keys) if (key[a] !== key[b]) return key[a]! - key[b]!;
        return a - b;
      });
    });
  }

  /** A number for each row by which it sorts; what is blank comes last, whichever way it is sorted. */
  #sortKey({ column, descending = false }: ViewSort): Uint32Array {
    const ranks = cached(this.#ranks, columnNamed(this.#names, column), () =>
      ranked(Array.from({ length: this.rows }, (_, at) => this.#value(column, at))),
    );
    return descending ? ranks.map((rank) => (rank === LAST ? LAST : LAST - 1 - rank)) : ranks;
  }
}

function keep<T>(all: Map<number, T>, index: number, value: T | undefined): void {
  if (value === undefined) all.delete(index);
  else all.set(index, value);
}

const stateAt = (state: CellState, reason: string, held: string | undefined, by: SeenCell["by"]): ViewState => ({
  state,
  ...(reason === "" ? {} : { reason }),
  ...(held === undefined ? {} : { held }),
  ...(by ? { by } : {}),
});

const byState = (counts: Uint32Array): Partial<Record<CellState, number>> =>
  Object.fromEntries(STATES.flatMap((state, index) => (counts[index]! > 0 ? [[state, counts[index]!]] : [])));

function cached<T>(kept: Map<string, T>, name: string, make: () => T): T {
  let found = kept.get(name);
  if (found === undefined) {
    found = make();
    if (kept.size >= CACHED) kept.delete(kept.keys().next().value!);
  } else kept.delete(name);
  kept.set(name, found);
  return found;
}

const LAST = 0xffff_ffff;
/** So much of a text decides where it stands; beyond, the table's own order does. */
const KEY_CHARS = 60;
const NUMBER_CHARS = 12;
const OTHER_MARKS = /\p{M}/gu;

/**
 * By what a text is sorted: small letters without their marks, numbers inside by their size. Of 100,000 different texts in no order this
 * takes about half the time of a collator, whose order it hardly differs from; of texts in order it takes half as much again.
 */
function sortText(text: string): string {
  let key = text.slice(0, KEY_CHARS).toLowerCase();
  // oxlint-disable-next-line no-control-regex -- what is not ASCII
  if (/[^\x00-\x7f]/.test(key)) key = key.normalize("NFKD").replace(OTHER_MARKS, "");
  return /\d/.test(key) ? key.replace(/\d+/g, (digits) => digits.padStart(NUMBER_CHARS, "0")) : key;
}

/** The place of each value among the different ones: numbers first, by size, then words, then what is blank. */
function ranked(values: readonly string[]): Uint32Array {
  const different = [...new Set(values)].filter((value) => value !== "");
  const numbers = different.filter(isNumber).sort((a, b) => Number(a) - Number(b));
  const words = different
    .filter((value) => !isNumber(value))
    .map((value) => ({ key: sortText(value), value }))
    .sort((a, b) => (a.key < b.key ? -1 : a.key > b.key ? 1 : 0));
  const places = new Map(numbers.map((value, place) => [value, place]));
  for (const [place, { value }] of words.entries()) places.set(value, numbers.length + place);
  return Uint32Array.from(values, (value) => places.get(value) ?? LAST);
}

import { sentenceOf, withoutFigures, type Remark } from "../ground/index.js";

/** Something that a person should know of rows, and the first of them. */
export interface ToldNote {
  /** Its figures are left out where rows differ in them. */
  readonly remark: Remark;
  readonly rows: number;
  readonly keys: readonly string[];
}

export const KEYS_SHOWN = 5;

/** What is told of so many rows, as far as each step came upon it. */
interface Gathered {
  readonly remark: Remark;
  readonly rows: Map<string, number>;
  readonly keys: string[];
}

/** Gathers what is to be told of rows; what differs only in its figures goes together, and a row counts once whatever its steps. */
export class Told {
  readonly #notes = new Map<string, Gathered>();

  /** @param step that came upon it. */
  add(told: Remark, key: string, step: string): void {
    const remark = withoutFigures(told);
    const note = sentenceOf(remark);
    const found = this.#notes.get(note) ?? { remark, rows: new Map<string, number>(), keys: [] };
    this.#notes.set(note, found);
    found.rows.set(step, (found.rows.get(step) ?? 0) + 1);
    if (found.keys.length < KEYS_SHOWN && !found.keys.includes(key)) found.keys.push(key);
  }

  addAll(told: readonly Remark[], key: string, step: string): void {
    for (const one of told) this.add(one, key, step);
  }

  /** Most rows first. */
  get all(): ToldNote[] {
    const notes = [...this.#notes.values()].map(({ remark, rows, keys }) => ({ remark, rows: Math.max(...rows.values()), keys }));
    return notes.sort((a, b) => b.rows - a.rows);
  }
}

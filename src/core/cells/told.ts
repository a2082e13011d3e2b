/** Something that a person should know of rows, and the first of them. */
export interface ToldNote {
  readonly note: string;
  readonly rows: number;
  readonly keys: readonly string[];
}

export const KEYS_SHOWN = 5;

/** Gathers what is to be told of rows; what differs only in its figures goes together. */
export class Told {
  readonly #notes = new Map<string, { note: string; rows: number; keys: string[] }>();

  add(told: string, key: string): void {
    const note = told.includes(": edited") ? told : told.replace(/\d[\d,]*(?= (?:of|characters|to|rows))/g, "…");
    const found = this.#notes.get(note) ?? { note, rows: 0, keys: [] };
    this.#notes.set(note, found);
    found.rows++;
    if (found.keys.length < KEYS_SHOWN) found.keys.push(key);
  }

  addAll(told: readonly string[], key: string): void {
    for (const one of told) this.add(one, key);
  }

  /** Most rows first. */
  get all(): ToldNote[] {
    return [...this.#notes.values()].sort((a, b) => b.rows - a.rows);
  }
}

const EMPTY = 0;

/**
 * Remembers which keys were seen and in which row first, in 12 to 24 bytes a key instead of the key itself: two
 * 32-bit hashes (FNV-1a with different bases, mixed) in open addressing. Of a million keys, the chance that any two
 * fall together by accident is about 3 in a hundred million.
 */
export class KeySet {
  #high: Uint32Array;
  #low: Uint32Array;
  #row: Uint32Array;
  #size = 0;

  constructor(capacity = 1024) {
    this.#high = new Uint32Array(capacity);
    this.#low = new Uint32Array(capacity);
    this.#row = new Uint32Array(capacity);
  }

  /** Adds a key; the row (from 1) that had it first if there is one, else `undefined`. */
  add(key: string, row: number): number | undefined {
    if (this.#size * 2 >= this.#row.length) this.#grow();
    const high = hash(key, 0x811c9dc5);
    const low = hash(key, 0x2f6b1e37);
    const mask = this.#row.length - 1;
    for (let at = low & mask; ; at = (at + 1) & mask) {
      const first = this.#row[at]!;
      if (first === EMPTY) {
        this.#high[at] = high;
        this.#low[at] = low;
        this.#row[at] = row;
        this.#size++;
        return undefined;
      }
      if (this.#low[at] === low && this.#high[at] === high) return first;
    }
  }

  #grow(): void {
    const [high, low, rows] = [this.#high, this.#low, this.#row];
    const capacity = rows.length * 2;
    this.#high = new Uint32Array(capacity);
    this.#low = new Uint32Array(capacity);
    this.#row = new Uint32Array(capacity);
    for (let i = 0; i < rows.length; i++) {
      if (rows[i] === EMPTY) continue;
      let at = low[i]! & (capacity - 1);
      while (this.#row[at] !== EMPTY) at = (at + 1) & (capacity - 1);
      this.#high[at] = high[i]!;
      this.#low[at] = low[i]!;
      this.#row[at] = rows[i]!;
    }
  }
}

/**
 * The key of a file's row, and what keeps the row from being used: no key, or one that another row has. Such a row is
 * named by its place.
 */
export function usableKey(
  key: string,
  number: number,
  unit: "row" | "line",
  seen: KeySet,
): { readonly key: string; readonly problem?: string; readonly unnamed?: true; readonly ownKey?: string } {
  if (key === "") return { key: `(${unit} ${number})`, unnamed: true, problem: "the row has no key" };
  const first = seen.add(key, number);
  return first === undefined
    ? { key }
    : { key: `${key} (${unit} ${number})`, unnamed: true, ownKey: key, problem: `the key stands in ${unit} ${first}, too` };
}

function hash(text: string, basis: number): number {
  let value = basis;
  for (let i = 0; i < text.length; i++) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
  value ^= value >>> 16;
  value = Math.imul(value, 0x85ebca6b);
  value ^= value >>> 13;
  value = Math.imul(value, 0xc2b2ae35);
  return (value ^ (value >>> 16)) >>> 0;
}

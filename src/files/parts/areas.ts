/** `A` is 1, `AA` 27. */
export function columnNumber(reference: string): number {
  let number = 0;
  for (let i = 0; i < reference.length; i++) {
    const code = reference.charCodeAt(i);
    if (code < 65 || code > 90) break;
    number = number * 26 + code - 64;
  }
  return number;
}

export function columnLetters(number: number): string {
  let letters = "";
  for (let rest = number; rest > 0; rest = Math.floor((rest - 1) / 26)) letters = String.fromCharCode(65 + ((rest - 1) % 26)) + letters;
  return letters;
}

/** An area such as `A4:F20`, from 1. */
export interface Area {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

export function areaOf(reference: string): Area {
  const [from = "", to = from] = reference.replaceAll("$", "").split(":");
  const rowOf = (cell: string): number => Number(/\d+$/.exec(cell)?.[0] ?? 0);
  return { left: columnNumber(from), top: rowOf(from), right: columnNumber(to), bottom: rowOf(to) };
}

export const areaText = ({ left, top, right, bottom }: Area): string => `${columnLetters(left)}${top}:${columnLetters(right)}${bottom}`;

/**
 * The first column from which on so many stand side by side, none of them hidden. All to the right being hidden, that is how the sheet was
 * cut off; then they are shown.
 */
export function firstFree(from: number, count: number, hidden: readonly (readonly [number, number])[], mostColumns: number): number {
  let first = from;
  for (const [min, max] of hidden) if (min <= first + count - 1 && max >= first && max < mostColumns) first = max + 1;
  return first;
}

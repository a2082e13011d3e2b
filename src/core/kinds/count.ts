/** How many items a list has. */
export interface Count {
  readonly exactly?: number | undefined;
  readonly atLeast?: number | undefined;
  readonly atMost?: number | undefined;
}

export function countFaults({ exactly, atLeast, atMost }: Count): string[] {
  if (exactly !== undefined && (atLeast !== undefined || atMost !== undefined))
    return ["`exactly` cannot stand beside `atLeast` or `atMost`."];
  return atLeast !== undefined && atMost !== undefined && atLeast > atMost ? ["`atLeast` is above `atMost`."] : [];
}

export function countBounds({ exactly, atLeast, atMost }: Count): { readonly from: number; readonly to: number | undefined } {
  return { from: exactly ?? atLeast ?? 0, to: exactly ?? atMost };
}

/** `of exactly 3 items`, `of 1 to 3 items`, `of any number of items, possibly none`. */
export function tellCount(count: Count, noun: string): string {
  const { from, to } = countBounds(count);
  if (from === to) return `of exactly ${from} ${noun}`;
  if (to !== undefined) return from > 0 ? `of ${from} to ${to} ${noun}` : `of at most ${to} ${noun}`;
  return from > 0 ? `of at least ${from} ${noun}` : `of any number of ${noun}, possibly none,`;
}

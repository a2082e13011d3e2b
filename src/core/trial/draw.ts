import { seededChance } from "../ground/index.js";

/** A row that may be drawn, and by what it is chosen. */
export interface Drawable {
  readonly key: string;
  /** Its value in the column over which the draw is balanced. */
  readonly group?: string | undefined;
  /** How doubtful its answer is, higher being more so. */
  readonly doubt?: number | undefined;
}

export type DrawWay = "random" | "balanced" | "doubtful";

/**
 * Draws rows: at random by a seed; as evenly over the groups as can be; or the most doubtful ones, ties by chance. The same
 * rows and seed give the same draw. Fewer are drawn where there are fewer.
 */
export function drawRows<Row extends Drawable>(rows: readonly Row[], count: number, way: DrawWay, seed: number): Row[] {
  const mixed = seededChance(seed).shuffled(rows);
  if (way === "random") return mixed.slice(0, count);
  if (way === "doubtful")
    return mixed
      .filter((row) => row.doubt !== undefined)
      .sort((a, b) => b.doubt! - a.doubt!)
      .slice(0, count);
  const groups = new Map<string, Row[]>();
  for (const row of mixed) groups.set(row.group ?? "", [...(groups.get(row.group ?? "") ?? []), row]);
  const drawn: Row[] = [];
  for (let round = 0; drawn.length < Math.min(count, mixed.length); round++)
    drawn.push(...[...groups.values()].flatMap((group) => group[round] ?? []).slice(0, count - drawn.length));
  return drawn;
}

/** Which rows are sealed: a share of each group, drawn by a seed. */
export function drawSealed(rows: readonly Drawable[], share: number, seed: number): Set<string> {
  const groups = new Map<string, Drawable[]>();
  for (const row of seededChance(seed).shuffled(rows)) groups.set(row.group ?? "", [...(groups.get(row.group ?? "") ?? []), row]);
  const sealed = new Set<string>();
  let owed = 0;
  for (const group of groups.values()) {
    // What rounding takes from one group the next one gets, so that the share holds in all.
    owed += group.length * share;
    const take = Math.round(owed);
    owed -= take;
    for (const row of group.slice(0, take)) sealed.add(row.key);
  }
  return sealed;
}

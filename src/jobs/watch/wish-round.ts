import type { Changed } from "../../core/index.js";
import type { Project } from "../../project/index.js";

/** The fact under which wishes for a plan are kept. */
export const wishName = (plan: string): string => `wanted:${plan}`;

/** Leaves a wish for whoever watches a plan, in whatever process: rows that are to be looked at. */
export async function wishRound(project: Project, plan: string, rows: Changed): Promise<void> {
  const { facts } = project.ledger();
  for (;;) {
    const before = await facts.get(wishName(plan));
    const now = before === "any" || rows === "any" ? "any" : [...new Set([...((before ?? []) as string[]), ...rows])];
    if (await facts.swap(wishName(plan), before, now)) return;
  }
}

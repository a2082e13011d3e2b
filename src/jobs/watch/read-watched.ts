import * as z from "zod";
import { readyAfterRules } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { defineJob } from "../job.js";
import { count } from "../schemas.js";
import { watchNow, watchShape } from "./watch-state.js";

/** A plan that is filled by itself, and how it stands. */
export const watchedShape = z.object({
  plan: z.string(),
  /** When, in the plan's own words. */
  every: z.string().nullable(),
  changes: z.boolean(),
  by: z.string().nullable(),
  /** Null where nobody has watched it yet. */
  watch: watchShape.nullable(),
  /** Messages of its rules that wait to be taken. */
  messages: count,
});

export type Watched = z.output<typeof watchedShape>;

/** How a plan is watched; `undefined` for one that never was, and says nothing of it. */
export async function watchedOf(project: Project, name: string): Promise<Watched | undefined> {
  const plan = await project.plan(name);
  const ledger = project.ledger();
  const watch = await watchNow(ledger, plan.name, project.clock.now());
  const hasRules = readyAfterRules(plan).length > 0;
  const messages = hasRules ? (await ledger.afterwards.count(plan.name)).waiting : 0;
  if (!plan.watch && !watch && messages === 0) return undefined;
  const { every = null, changes = false, by = null } = plan.watch ?? {};
  return { plan: plan.name, every, changes, by, watch: watch ?? null, messages };
}

/** How the plans that are filled by themselves stand. */
export const readWatched = defineJob({
  name: "readWatched",
  summary: "Tells of the plans that are filled by themselves: who watches them, lag, last and next round, messages that wait.",
  input: z.strictObject({}),
  report: z.object({ plans: z.array(watchedShape) }),
  async run(project) {
    const plans: Watched[] = [];
    for (const { name } of await project.listPlans()) {
      const watched = await watchedOf(project, name).catch(() => undefined);
      if (watched) plans.push(watched);
    }
    return { plans };
  },
});

import * as z from "zod";
import { YoroshiError } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { defineJob } from "../job.js";
import { changeShape } from "../read-changes.js";
import { PlanWatch, type WatchEvent } from "./plan-watch.js";
import { roundShape, watchShape } from "./watch-state.js";

const event = z.discriminatedUnion("type", [
  /** How a plan stands has changed. */
  z.object({ type: z.literal("state"), plan: z.string(), state: watchShape }),
  /** A round has ended that did something. */
  z.object({ type: z.literal("round"), plan: z.string(), round: roundShape }),
  /** Cells that it altered; of very many the first. */
  z.object({ type: z.literal("changes"), plan: z.string(), run: z.string(), changes: z.array(changeShape).readonly() }),
  /** Something that a person should know. */
  z.object({ type: z.literal("notice"), plan: z.string(), text: z.string() }),
]);

/** The plans of a project that say when they are filled by themselves. */
export async function watchedPlans(project: Project): Promise<string[]> {
  const plans: string[] = [];
  for (const { name } of await project.listPlans()) {
    const plan = await project.plan(name).catch(() => undefined);
    if (plan?.watch) plans.push(plan.name);
  }
  return plans;
}

/** Keeps plans filled until it is stopped. */
export const watchPlans = defineJob<
  z.ZodObject<{ plans: z.ZodOptional<z.ZodReadonly<z.ZodArray<z.ZodString>>> }, z.core.$strict>,
  z.ZodObject<{ plans: z.ZodArray<z.ZodString> }>,
  WatchEvent
>({
  name: "watchPlans",
  summary: "Keeps plans filled as their tables change, or at the times that they name, until it is stopped.",
  input: z.strictObject({
    /** Default: all that say `watch:`. */
    plans: z.array(z.string()).readonly().optional(),
  }),
  report: z.object({ plans: z.array(z.string()) }),
  event: event as z.ZodType<WatchEvent>,
  async run(project, { plans }, context) {
    const names = plans?.length
      ? await Promise.all(plans.map(async (name) => (await project.plan(name)).name))
      : await watchedPlans(project);
    if (names.length === 0)
      throw new YoroshiError("badOption", {
        option: "watch",
        problem:
          'no plan says when it is filled by itself. Add `watch: { changes: true }` or `watch: { every: "0 7 * * 1-5" }` to one, or name a plan.',
      });
    for (const name of names) await project.fillSetup(name, { asks: true });
    await Promise.all(names.map((name) => new PlanWatch(() => project, name, context).run()));
    return { plans: names };
  },
});

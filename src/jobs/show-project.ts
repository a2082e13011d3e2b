import path from "node:path";
import * as z from "zod";
import { monthStart } from "../core/index.js";
import { defineJob } from "./job.js";
import { count, money } from "./schemas.js";
import { VERSION } from "./version.js";
import { workersOf } from "./workers-seen.js";

const report = z.object({
  /** The folder's own name. */
  name: z.string(),
  yoroshi: z.string(),
  /** Whether it has a yoroshi.yaml; a folder that is only being begun has none. */
  begun: z.boolean(),
  currency: z.string(),
  timeZone: z.string(),
  /** The models of yoroshi.yaml; with none of them the stand-in answers. Never a key. */
  models: z.array(
    z.object({
      name: z.string(),
      id: z.string().optional(),
      standin: z.boolean(),
      price: z.object({ input: z.number(), output: z.number() }).optional(),
      can: z.array(z.string()),
    }),
  ),
  databases: z.array(z.string()),
  /** What all runs spent in this month (UTC), and the project's cap on it; null where there is none. */
  month: z.object({ spent: money, cap: money.nullable() }),
  /** Processes that work for spread fills at this moment, with their rows a minute; left out where the ledger is in a file. */
  workers: z.array(z.object({ name: z.string(), asked: count, pace: count })).optional(),
});

export type ProjectShown = z.output<typeof report>;

/** The project as a whole. */
export const showProject = defineJob({
  name: "showProject",
  summary: "Shows the project: its models, its databases, what was spent this month.",
  input: z.strictObject({}),
  report,
  async run(project) {
    const { root, settings, monthlyCap, clock } = project;
    return {
      name: path.basename(root),
      yoroshi: VERSION,
      begun: project.isBegun,
      currency: settings.currency,
      timeZone: settings.timeZone,
      models: Object.entries(settings.models).map(([name, { id, endpoint, price, can = [] }]) => ({
        name,
        ...(id === undefined ? {} : { id }),
        standin: endpoint === "standin",
        ...(price ? { price } : {}),
        can: [...can],
      })),
      databases: Object.keys(settings.databases),
      month: {
        spent: (await project.ledger().charges.since(monthStart(clock.now()))) / 1e6,
        cap: monthlyCap === undefined ? null : monthlyCap / 1e6,
      },
      ...(settings.ledger ? { workers: [...(await workersOf(project))].map(([name, { asked, pace }]) => ({ name, asked, pace })) } : {}),
    };
  },
});

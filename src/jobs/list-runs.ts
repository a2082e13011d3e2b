import * as z from "zod";
import { dayOf, monthStart } from "../core/index.js";
import { defineJob } from "./job.js";
import { count, money } from "./schemas.js";

const kind = z.enum(["fill", "trial", "try"]);
const DAY_MS = 86_400_000;

/** What was run, newest first. */
export const listRuns = defineJob({
  name: "listRuns",
  summary: "Lists runs, newest first: fills of plans, trials and single questions, with how they ended and what they cost.",
  input: z.strictObject({
    /** Only runs of this kind; only about this plan or template. */
    kind: kind.optional(),
    subject: z.string().optional(),
    /** Only runs that began before this moment. */
    before: z.iso.datetime().optional(),
    /** Default 50. */
    limit: z.int().min(1).max(500).optional(),
  }),
  report: z.object({
    runs: z.array(
      z.object({
        id: z.string(),
        kind,
        subject: z.string(),
        startedAt: z.iso.datetime(),
        endedAt: z.iso.datetime().optional(),
        /** How it ended; `running` while it goes on, `broken off` where its process is gone. */
        end: z.string(),
        /** Its figures, as its command printed them; amounts in millionths of the currency's unit. */
        tally: z.json().optional(),
      }),
    ),
  }),
  async run(project, { kind: which, subject, before, limit = 50 }) {
    const ledger = project.ledger();
    const found = await ledger.runs.recent({
      limit,
      kind: which,
      subject,
      ...(before === undefined ? {} : { before: Date.parse(before) }),
    });
    return {
      runs: await Promise.all(
        found.map(async (run) => ({
          id: run.id,
          kind: run.kind,
          subject: run.subject,
          startedAt: new Date(run.startedAt).toISOString(),
          ...(run.endedAt === undefined ? {} : { endedAt: new Date(run.endedAt).toISOString() }),
          end: run.end ?? (await isRunning(run.kind, run.subject)),
          ...(run.tally === undefined ? {} : { tally: run.tally as z.input<z.ZodJSONSchema> }),
        })),
      ),
    };

    async function isRunning(of: string, name: string): Promise<string> {
      if (of !== "fill") return "running";
      return (await ledger.leases.isTaken(`fill:${name}`, project.clock.now())) ? "running" : "broken off";
    }
  },
});

const dateOf = (day: number): string => new Date(day * DAY_MS).toISOString().slice(0, 10);

/** What was spent, day by day. */
export const readSpend = defineJob({
  name: "readSpend",
  summary: "Tells what was spent, day by day, by plan or template, step and model; at the prices of those days.",
  input: z.strictObject({
    /** From this day on (UTC). Default: the first of this month. */
    since: z.iso.date().optional(),
  }),
  report: z.object({
    currency: z.string(),
    since: z.iso.date(),
    days: z.array(
      z.object({
        day: z.iso.date(),
        kind,
        subject: z.string(),
        step: z.string(),
        model: z.string(),
        requests: count,
        tokensIn: count,
        tokensOut: count,
        spent: money,
        /** What may have been charged for requests that broke off. */
        unsure: money,
      }),
    ),
    spent: money,
    /** The project's cap for a month, where it has one. */
    cap: money.nullable(),
  }),
  async run(project, { since }) {
    const { clock, monthlyCap, settings } = project;
    const first = since === undefined ? monthStart(clock.now()) : dayOf(Date.parse(since));
    const days = await project.ledger().charges.byDay(first);
    return {
      currency: settings.currency,
      since: dateOf(first),
      days: days.map(({ day, spent, unsure, ...one }) => ({ ...one, day: dateOf(day), spent: spent / 1e6, unsure: unsure / 1e6 })),
      spent: days.reduce((sum, { spent, unsure }) => sum + spent + unsure, 0) / 1e6,
      cap: monthlyCap === undefined ? null : monthlyCap / 1e6,
    };
  },
});

import type { Context } from "hono";
import { readWatched, runJob, VERSION } from "../jobs/index.js";
import type { Carried } from "./guard.js";
import { demand, type App, type Parts } from "./parts.js";

type Found = Awaited<ReturnType<typeof watchedIn>>;

const watchedIn = async ({ project }: Parts) => (await runJob(readWatched, project(), {})).plans;

/** Whether the server works, and how far watched plans are behind: for whoever asks the figures alone, metrics for those who may read. */
export function healthRoutes(app: App, parts: Parts): void {
  app.get("/health", async (c) => {
    const plans = parts.project().isBegun ? await watchedIn(parts) : [];
    const watched = plans.filter(({ watch }) => watch !== null && watch.state !== "off");
    return c.json({
      yoroshi: VERSION,
      works: true,
      watched: watched.length,
      resting: watched.filter(({ watch }) => watch!.state === "resting").length,
      lagMs: Math.max(0, ...watched.map(({ watch }) => watch!.lagMs)),
    });
  });
  app.get("/metrics", async (c: Context<Carried>) => {
    demand(c.get("who"), "read");
    return c.body(metricsOf(await watchedIn(parts)), 200, { "content-type": "application/openmetrics-text; version=1.0.0; charset=utf-8" });
  });
}

const seconds = (iso: string | null | undefined): number | undefined => (iso ? Date.parse(iso) / 1000 : undefined);

/** The figures of watched plans in the OpenMetrics text format. */
export function metricsOf(plans: Found): string {
  const gauges: readonly [name: string, help: string, of: (plan: Found[number]) => number | undefined][] = [
    ["yoroshi_watch_up", "Whether somebody watches the plan", ({ watch }) => (watch && watch.state !== "off" ? 1 : 0)],
    ["yoroshi_watch_resting", "Whether it rests after a failure or at a limit", ({ watch }) => (watch?.state === "resting" ? 1 : 0)],
    [
      "yoroshi_watch_lag_seconds",
      "Age of the oldest change that no round has taken up",
      ({ watch }) => (watch ? watch.lagMs / 1000 : undefined),
    ],
    ["yoroshi_watch_last_round_timestamp_seconds", "When the last round began", ({ watch }) => seconds(watch?.lastRound?.at)],
    ["yoroshi_watch_next_round_timestamp_seconds", "When the next round is due", ({ watch }) => seconds(watch?.nextRound)],
    ["yoroshi_watch_last_round_asked", "Rows asked about in the last round", ({ watch }) => watch?.lastRound?.asked],
    ["yoroshi_messages_waiting", "Messages of rules that wait to be taken", ({ messages }) => messages],
  ];
  const lines = gauges.flatMap(([name, help, of]) => [
    `# TYPE ${name} gauge`,
    `# HELP ${name} ${help}`,
    ...plans.flatMap((plan) => {
      const value = of(plan);
      return value === undefined ? [] : [`${name}{plan="${plan.plan.replace(/["\\\n]/g, "\\$&")}"} ${value}`];
    }),
  ]);
  return `${lines.join("\n")}\n# EOF\n`;
}

import { formatMoney, plural } from "../../core/ground/index.js";
import { runJob, tellChanges, watchPlans, type WatchEvent, type WatchRound } from "../../jobs/index.js";
import { bad, good, heading, note, out, outJson, quiet, warn } from "../print/print.js";
import { interruptible } from "../signals.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface WatchOptions extends CommonOptions {
  readonly triggers?: boolean | undefined;
}

const SHOWN = 5;

/** `yoroshi watch`: keeps plans filled until it is interrupted. */
export async function watch(plans: readonly string[], options: WatchOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.triggers) return printTriggers(project, plans, options.json === true);
    const { currency } = project.settings;
    const { signals, release } = interruptible();
    try {
      const seen = new Map<string, string>();
      await runJob(
        watchPlans,
        project,
        { plans: plans.length > 0 ? plans : undefined },
        { ...signals, on: (event) => (options.json ? outJson(event) : tell(event, currency, seen)) },
      );
      return 0;
    } finally {
      release();
    }
  });
}

async function printTriggers(project: Parameters<typeof runJob>[1], plans: readonly string[], isJson: boolean): Promise<number> {
  for (const plan of plans) {
    const report = await runJob(tellChanges, project as never, { plan });
    if (isJson) {
      outJson(report);
      continue;
    }
    for (const { database, table, tells, statements } of report.tables) {
      note(`${heading(`${database}.${table}`)}  ${tells ? good("tells of its changes already") : "for its owner to run:"}`);
      for (const statement of statements) out(`${statement};`);
    }
  }
  return 0;
}

const clock = (iso: string): string => new Date(iso).toLocaleTimeString("en-GB");

/** A round that comes in a moment is not announced. */
const isFar = (iso: string | null): boolean => iso !== null && Date.parse(iso) - Date.now() > 5_000;

/** Each event in a line or two. */
function tell(event: WatchEvent, currency: string, seen: Map<string, string>): void {
  switch (event.type) {
    case "notice":
      return note(`${event.plan}: ${warn(event.text)}`);
    case "round":
      return out(roundLine(event.plan, event.round, currency));
    case "changes":
      for (const { key, column, before, after, why } of event.changes.slice(0, SHOWN))
        out(
          `  ${key}  ${column}: ${before === null ? quiet("blank") : before} → ${after === null ? quiet("blank") : after}  ${quiet(why)}`,
        );
      if (event.changes.length > SHOWN)
        out(quiet(`  … and ${event.changes.length - SHOWN} more: yoroshi status ${event.plan} --changes ${event.run}`));
      return;
    case "state": {
      const { state, nextRound, problem } = event.state;
      const line =
        state === "standby"
          ? "another process watches it; standing by"
          : state === "resting"
            ? `resting: ${problem ?? ""}${nextRound ? `; goes on at ${clock(nextRound)}` : ""}`
            : state === "waiting"
              ? `watching${isFar(nextRound) ? `; the next round at ${clock(nextRound!)}` : ""}`
              : "";
      if (line === "" || seen.get(event.plan) === line) return;
      seen.set(event.plan, line);
      return note(`${event.plan}: ${state === "resting" ? warn(line) : quiet(line)}`);
    }
  }
}

function roundLine(
  plan: string,
  { at, because, named, end, asked, spent, changes, actions, tookMs, problem }: WatchRound,
  currency: string,
): string {
  const cause = {
    start: "since the last time",
    schedule: "on schedule",
    change: named === null ? "a change" : plural(named, "row"),
    again: "gone on with",
  }[because];
  const parts = [
    `${asked} asked`,
    `${plural(changes, "cell")} altered`,
    actions > 0 && plural(actions, "action"),
    formatMoney(Math.round(spent * 1e6), currency),
    `${(tookMs / 1000).toFixed(1)} s`,
    end !== "done" && warn(end),
    problem !== undefined && bad(problem),
  ];
  return `${clock(at)}  ${heading(plan)}  ${cause}: ${parts.filter(Boolean).join(" · ")}`;
}

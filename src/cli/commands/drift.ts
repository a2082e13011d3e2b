import { plural } from "../../core/ground/index.js";
import { askSealed, driftTold, readDrift, runJob, seeDrift, type DriftReport } from "../../jobs/index.js";
import { hostLine } from "../print/hosts.js";
import { good, heading, note, out, outJson, quiet, table, warn } from "../print/print.js";
import { untilInterrupted } from "../signals.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface DriftOptions extends CommonOptions {
  readonly sealed?: boolean | undefined;
  readonly seen?: boolean | undefined;
}

/** `yoroshi drift`: exit 1 where something moved that nobody has seen, or sealed samples are answered otherwise. */
export async function drift(plan: string, options: DriftOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.sealed) {
      const { without } = await runJob(askSealed, project, { plan }, { signal: untilInterrupted() });
      for (const template of without) note(warn(`${template} has no sealed samples: \`yoroshi samples seal\` seals some.`));
    }
    const seen = options.seen ? await runJob(seeDrift, project, { plan }) : undefined;
    const report = await runJob(readDrift, project, { plan });
    if (options.json) outJson(report);
    else {
      print(report);
      if (seen) note(`Seen until ${seen.seenUntil}.`);
    }
    return report.alarm !== null || report.sealed.some(({ verdict }) => verdict === "changed") ? 1 : 0;
  });
}

const DAYS_SHOWN = 10;

function print(report: DriftReport): void {
  const { plan, reference, days, falseAlarmDays, sealed, hosts, timeZone } = report;
  out(heading(`Plan ${plan}`));
  if (!reference)
    out(
      "Not enough days yet: the first fourteen days with 100 answers in all become the reference, unless `drift: { reference }` names one.",
    );
  else {
    out(quiet(`Reference ${reference.from} to ${reference.to}, ${plural(reference.answers, "answer")}; days of ${timeZone}.`));
    if (days.length === 0) out("No day after it is over yet.");
    else
      out(
        table(
          ["day", "answers", "least p", "moved"],
          days
            .slice(0, DAYS_SHOWN)
            .map(({ day, answers, columns, moved }) => [
              day,
              answers,
              columns.length === 0 ? "too few" : Math.min(...columns.map(({ adjusted }) => adjusted)).toFixed(3),
              moved.length === 0 ? "" : warn(moved.join(", ")),
            ]),
          { right: [1, 2] },
        ),
      );
    const told = driftTold(report);
    if (told) out(warn(told));
    else if (days.length > 0) out(good("nothing has moved beyond chance that nobody has seen"));
    out(
      quiet(
        `p is corrected for the number of columns; a day is called moved below 1/${falseAlarmDays}, so by chance one in ${falseAlarmDays} is.`,
      ),
    );
  }
  for (const one of sealed) out(sealedLine(one));
  for (const host of hosts)
    out(warn(`${hostLine(host)} Since ${host.since.slice(0, 16).replace("T", " ")} UTC: ${plural(host.cells, "cell")}.`));
}

function sealedLine({ template, model, at, samples, changed, changedThen, lost, won, p, verdict }: DriftReport["sealed"][number]): string {
  const when = at.slice(0, 10);
  if (verdict === "first")
    return `Sealed samples of ${template}, ${model}: ${samples} asked twice on ${when}, ${changedThen} answered differently; later answers are held against these.`;
  const told = `Sealed samples of ${template}, ${model}, on ${when}: ${changed} of ${samples} answered otherwise than at first (${changedThen} by the model itself then), ${lost} no longer right, ${won} right now; p ${Math.min(p.changed, p.right).toFixed(3)}.`;
  return verdict === "changed" ? warn(`${told} The model is not what it was.`) : told;
}

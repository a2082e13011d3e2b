import { plural } from "../../core/ground/index.js";
import { runJob, workOn, type WorkEvent } from "../../jobs/index.js";
import { good, out, outJson, quiet, warn } from "../print/print.js";
import { interruptible } from "../signals.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface WorkOptions extends CommonOptions {
  readonly atOnce?: number | undefined;
  readonly untilDone?: boolean | undefined;
}

/** `yoroshi work`: takes part in spread fills until it is interrupted. */
export async function work(plans: readonly string[], options: WorkOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { signals, release } = interruptible(options.json === true);
    endWithParent();
    try {
      if (!options.json) out(quiet("Waiting for fills that are spread. Ctrl-C ends: what is in hand is finished."));
      const report = await runJob(
        workOn,
        project,
        { plans: plans.length > 0 ? [...plans] : undefined, atOnce: options.atOnce, untilDone: options.untilDone },
        { ...signals, on: (event) => (options.json ? outJson(event) : tell(event)) },
      );
      if (options.json) outJson(report);
      else out(`${good("done")}  ${plural(report.chunks, "chunk")}, ${plural(report.asked, "row")} asked`);
      return 0;
    } finally {
      release();
    }
  });
}

/** A worker that a fill has started ends when the fill is gone, however that came. */
function endWithParent(): void {
  if (!process.channel) return;
  process.channel.unref();
  process.once("disconnect", () => process.kill(process.pid, "SIGTERM"));
}

function tell(event: WorkEvent): void {
  switch (event.type) {
    case "joined":
      return out(`${good("joined")}  the fill of ${event.plan}`);
    case "refused":
      return out(
        warn(
          `Nothing of ${event.plan} is taken: this machine has not the same as whoever planned it. Different: ${event.differs.join(", ")}. Bring the project's files over; it is looked again each second.`,
        ),
      );
    case "chunk":
      return out(quiet(`  ${event.plan}, chunk ${event.n}: ${plural(event.asked, "row")} asked`));
    case "failed":
      return out(warn(`  ${event.plan}, chunk ${event.n}: ${event.problem} It is handed out again.`));
    case "left":
      return out(`${good("left")}  the fill of ${event.plan} is over, or ends`);
  }
}

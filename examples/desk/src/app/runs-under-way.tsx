import { Link } from "@tanstack/react-router";
import type { UnderWay } from "yoroshi/client";
import { money, plural } from "../parts/words.js";
import { failed } from "./acts.js";
import { queries, server, UNDER_WAY, useReading, useUnderWay } from "./server.js";

const RUNS: ReadonlySet<UnderWay["state"]> = new Set(["running", "pausing", "paused", "stopping"]);
/** A run that ended a moment ago is still told. */
const TOLD_MS = 60_000;

interface Progress {
  readonly share?: number;
  readonly asked?: number;
  readonly reused?: number;
  readonly failed?: number;
  readonly spent?: number;
  readonly done?: number;
  readonly total?: number;
  /** Of a fill that is spread to workers: chunks of rows, and who works. */
  readonly planned?: number;
  readonly isPlanned?: boolean;
  readonly again?: number;
  readonly workers?: number;
}

interface Outcome {
  readonly end?: string;
  readonly held?: number;
  readonly failed?: number;
  readonly capped?: { readonly why: "run" | "month" | "request"; readonly needs: number; readonly cap: number };
  readonly refused?: readonly { readonly rows: number; readonly problem: string }[];
}

const CAPS = {
  run: "of this run. Give it more where it is begun, or in the plan's limits",
  month: "of the month, in yoroshi.yaml",
  request: "of this run, which not even one request fits under",
} as const;

/** What a fill that is over leaves to be done. */
function Outcome({
  report: { end, held = 0, failed: inVain = 0, capped, refused = [] },
  currency,
}: {
  readonly report: Outcome;
  readonly currency: string;
}) {
  return (
    <>
      {capped ? (
        <span className="problem">
          It stopped at the cap of {money(capped.cap, currency)} {CAPS[capped.why]}. What was answered is kept.
        </span>
      ) : end === "rowLimit" ? (
        <span>It stopped at its number of rows.</span>
      ) : null}
      {held > 0 ? <span>{plural(held, "row")} held</span> : null}
      {inVain > 0 ? <span className="problem">{plural(inVain, "row")} failed; the table's × tells why</span> : null}
      {refused.map(({ rows, problem }) => (
        <span key={problem} className="problem">
          {plural(rows, "row")} were refused by the table: {problem}
        </span>
      ))}
    </>
  );
}

/** Fills and trials that go on, wherever they were begun, with the way to pause and stop them. */
export function RunsUnderWay() {
  const { data = [] } = useUnderWay();
  const { data: project } = useReading("showProject", {});
  const shown = data.filter(({ state, endedAt }) => RUNS.has(state) || (endedAt && Date.now() - Date.parse(endedAt) < TOLD_MS)).slice(0, 2);
  return shown.map((run) => <Run key={run.id} run={run} currency={project?.currency ?? ""} />);
}

async function act(id: string, what: "pause" | "go-on" | "stop"): Promise<void> {
  try {
    const now = await server.run(id, what);
    queries.setQueryData<readonly UnderWay[]>(UNDER_WAY, (all = []) => all.map((one) => (one.id === id ? now : one)));
  } catch (error) {
    failed(error);
  }
}

function Run({ run, currency }: { readonly run: UnderWay; readonly currency: string }) {
  const { id, job, subject, state, error } = run;
  const progress = (run.progress ?? {}) as Progress;
  const total = progress.total ?? progress.planned;
  const share = progress.share ?? (total ? (progress.done ?? 0) / total : 0);
  const isFill = job === "fillPlan";
  const word = {
    running: isFill ? "Filling" : "Trial of",
    pausing: "Pausing",
    paused: "Paused",
    stopping: "Stopping",
    stopped: "Stopped",
    done: isFill ? "Filled" : "Graded",
    failed: "Failed",
  }[state];
  return (
    <div className="run" role="group" aria-label={`${word} ${subject}`}>
      <b>{word}</b>{" "}
      {isFill ? (
        <Link to="/table/$plan" params={{ plan: subject }}>
          {subject}
        </Link>
      ) : (
        <Link to="/trials/$template" params={{ template: subject }}>
          {subject}
        </Link>
      )}
      {RUNS.has(state) ? (
        <>
          <progress value={share} aria-label={`${subject}: how far`} />
          <span>{Math.round(share * 100)} %</span>
        </>
      ) : null}
      {progress.workers !== undefined && RUNS.has(state) ? (
        <span>
          {progress.done} of {progress.planned}
          {progress.isPlanned ? "" : " or more"} chunks done, {plural(progress.asked ?? 0, "row")} asked ·{" "}
          {plural(progress.workers, "worker")}
          {progress.again ? ` · ${progress.again} taken again` : ""}
        </span>
      ) : isFill && progress.asked !== undefined ? (
        <span>
          {plural(progress.asked, "row")} asked{progress.reused ? `, ${progress.reused} known` : ""}
          {progress.failed ? `, ${progress.failed} failed` : ""} · {money(progress.spent ?? 0, currency)} spent
        </span>
      ) : null}
      {error ? <span className="problem">{error.message}</span> : null}
      {state === "done" && isFill ? <Outcome report={(run.report ?? {}) as Outcome} currency={currency} /> : null}
      {run.notices.length > 0 && RUNS.has(state) ? <span className="quiet">{run.notices.at(-1)}</span> : null}
      {isFill && state === "running" ? (
        <button type="button" className="act" onClick={() => void act(id, "pause")}>
          Pause
        </button>
      ) : null}
      {state === "paused" ? (
        <button type="button" className="act" onClick={() => void act(id, "go-on")}>
          Go on
        </button>
      ) : null}
      {RUNS.has(state) ? (
        <button type="button" className="act" onClick={() => void act(id, "stop")}>
          {state === "stopping" ? "Stop at once" : "Stop"}
        </button>
      ) : null}
    </div>
  );
}

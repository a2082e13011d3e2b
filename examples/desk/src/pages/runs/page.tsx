import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, UNDER_WAY, useReading, useUnderWay } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { money, plural, when } from "../../parts/words.js";
import { Reasons } from "./reasons.js";
import "./runs.css";

type Run = CallReport<"listRuns">["runs"][number];

interface Tally {
  readonly rows?: number;
  readonly asked?: number;
  readonly reused?: number;
  readonly filled?: number;
  readonly held?: number;
  readonly failed?: number;
  readonly skipped?: number;
  readonly samples?: number;
  readonly spent?: number;
}

const MICROS = 1e6;
/** How often it is looked who works. */
const LOOK_MS = 3_000;
const ENDS: Readonly<Record<string, string>> = {
  done: "done",
  rowLimit: "stopped at its number of rows",
  spendCap: "stopped at its cap",
  interrupted: "interrupted",
  failed: "failed",
  running: "goes on",
};

/** Processes that ask about the rows of fills that are spread to them. */
function Workers({ workers }: { readonly workers: readonly { readonly name: string; readonly asked: number; readonly pace: number }[] }) {
  return (
    <section>
      <h3>Workers</h3>
      {workers.length === 0 ? (
        <p className="quiet">
          Nobody works at this moment. <code>yoroshi work</code>, here or on another machine with this project, takes part in fills that are
          spread.
        </p>
      ) : (
        <ul className="workers">
          {workers.map(({ name, asked, pace }) => (
            <li key={name}>
              {name}
              <small className="quiet">
                {plural(pace, "row")} a minute, {plural(asked, "row")} asked
              </small>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** What was run, with what it cost and how it ended; why cells failed, and the way to ask these again. */
export function RunsPage() {
  const [limit, setLimit] = useState(40);
  const [kind, setKind] = useState<Run["kind"] | "">("");
  const { data, error } = useReading("listRuns", { limit, ...(kind === "" ? {} : { kind }) }, { keep: true });
  const { data: project } = useReading("showProject", {}, { everyMs: LOOK_MS });
  const { data: spend } = useReading("readSpend", {});
  const [open, setOpen] = useState<string | undefined>();
  const runs = data?.runs ?? [];
  const plans = [...new Set(runs.filter((run) => run.kind === "fill").map(({ subject }) => subject))];
  const currency = project?.currency ?? "";
  return (
    <Shell title="Runs" about="fills, trials and tries, the newest first" flows>
      <div className="runs">
        <section>
          <div className="acts">
            <label>
              only{" "}
              <select value={kind} onChange={({ target }) => setKind(target.value as Run["kind"] | "")}>
                <option value="">all</option>
                <option value="fill">fills</option>
                <option value="trial">trials</option>
                <option value="try">tries</option>
              </select>
            </label>
          </div>
          <Problem error={error} />
          {data ? null : error ? null : <Reading what="the runs" />}
          <table className="contestants">
            <thead>
              <tr>
                <th scope="col">when</th>
                <th scope="col">what</th>
                <th scope="col">how it ended</th>
                <th scope="col">rows</th>
                <th scope="col">spent</th>
                <th scope="col">
                  <span className="vh">what can be done</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {runs.map((run) => (
                <Line
                  key={run.id}
                  run={run}
                  currency={currency}
                  isNewest={runs.find((one) => one.kind === run.kind && one.subject === run.subject) === run}
                />
              ))}
            </tbody>
          </table>
          {runs.length >= limit ? (
            <button type="button" className="act" onClick={() => setLimit(limit + 60)}>
              Earlier ones
            </button>
          ) : null}
          {data && runs.length === 0 ? <p className="quiet">Nothing was run yet.</p> : null}
        </section>
        <aside className="glosses">
          <section>
            <h3>Spent by day</h3>
            {spend ? <Days days={spend.days} currency={currency} /> : null}
          </section>
          {project?.workers ? <Workers workers={project.workers} /> : null}
          <section>
            <h3>Why cells have no value</h3>
            {plans.map((plan) => (
              <div key={plan}>
                <button
                  type="button"
                  className="act"
                  aria-expanded={open === plan}
                  onClick={() => setOpen(open === plan ? undefined : plan)}
                >
                  {plan}
                </button>
                {open === plan ? <Reasons plan={plan} /> : null}
              </div>
            ))}
          </section>
        </aside>
      </div>
    </Shell>
  );
}

function Line({ run, currency, isNewest }: { readonly run: Run; readonly currency: string; readonly isNewest: boolean }) {
  const { id, kind, subject, startedAt, end } = run;
  const tally = (run.tally ?? {}) as Tally;
  const [isSure, setSure] = useState(false);
  const { data: underWay = [] } = useUnderWay();
  // What is paused goes on below, where it is told how far it is.
  const isHere = underWay.some((one) => one.subject === subject && one.endedAt === undefined);
  const undo = async (): Promise<void> => {
    setSure(false);
    try {
      await server.undoFill({ plan: subject, run: id });
      await queries.invalidateQueries();
      didAct({
        says: `The fill of ${subject} of ${when(startedAt)} is undone; its answers stay in the ledger, and filling again costs nothing.`,
      });
    } catch (error) {
      failed(error);
    }
  };
  const goOn = async (): Promise<void> => {
    try {
      const begun = await server.fillPlan({ plan: subject });
      queries.setQueryData(UNDER_WAY, (all: readonly object[] = []) => [begun, ...all]);
      didAct({ says: `${subject} goes on.` });
    } catch (error) {
      failed(error);
    }
  };
  const figures = [
    tally.asked === undefined ? "" : `${plural(tally.asked, "row")} asked`,
    tally.reused ? `${tally.reused} known` : "",
    tally.held ? `${tally.held} held` : "",
    tally.failed ? `${tally.failed} failed` : "",
    tally.samples === undefined ? "" : plural(tally.samples, "sample"),
  ].filter(Boolean);
  return (
    <tr>
      <td>
        <small>{when(startedAt)}</small>
      </td>
      <th scope="row">
        {kind === "fill" ? (
          <Link to="/table/$plan" params={{ plan: subject }}>
            {subject}
          </Link>
        ) : kind === "trial" ? (
          <Link to="/trials/$template" params={{ template: subject }} search={{ run: id }}>
            {subject}
          </Link>
        ) : (
          subject
        )}{" "}
        <small className="quiet">{kind}</small>
      </th>
      <td>{ENDS[end] ?? end}</td>
      <td>
        <small>{figures.join(", ")}</small>
      </td>
      <td className="fig">
        <small>{tally.spent === undefined ? "" : money(tally.spent / MICROS, currency)}</small>
      </td>
      <td>
        {kind === "fill" && end !== "done" && end !== "running" && isNewest && !isHere ? (
          <button type="button" className="act" onClick={() => void goOn()}>
            Go on
          </button>
        ) : null}
        {kind === "fill" && end !== "running" && isNewest && tally.asked ? (
          isSure ? (
            <button type="button" className="act" onClick={() => void undo()}>
              Yes, put back what stood before in {plural(tally.filled ?? tally.asked, "row")}
            </button>
          ) : (
            <button type="button" className="act" onClick={() => setSure(true)}>
              Undo …
            </button>
          )
        ) : null}
      </td>
    </tr>
  );
}

function Days({ days, currency }: { readonly days: CallReport<"readSpend">["days"]; readonly currency: string }) {
  const byDay = new Map<string, number>();
  for (const { day, spent } of days) byDay.set(day, (byDay.get(day) ?? 0) + spent);
  const all = [...byDay].slice(-14);
  const most = Math.max(1e-9, ...all.map(([, spent]) => spent));
  return (
    <ul className="days">
      {all.map(([day, spent]) => (
        <li key={day}>
          <small>{day}</small>
          <span className="stroke" aria-hidden="true">
            <i style={{ width: `${(spent / most) * 100}%` }} />
          </span>
          <small className="fig">{money(spent, currency)}</small>
        </li>
      ))}
    </ul>
  );
}

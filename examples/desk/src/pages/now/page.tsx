import { Link } from "@tanstack/react-router";
import { lazy, Suspense, useState } from "react";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { money, percent, range, when } from "../../parts/words.js";
import { PlanLine } from "./plan-line.js";
import "./now.css";

const NewTemplate = lazy(async () => ({ default: (await import("../template/new-template.js")).NewTemplate }));
const SEEN = "yoroshi.trials.seen";

/** What needs me: held and failed cells, columns out of date, trials since last time, what was spent, what runs. */
export function NowPage() {
  const { data: project, error } = useReading("showProject", {});
  const { data: files } = useReading("listFiles", {});
  const { data: trials } = useReading("listTrials", {});
  const { data: watched } = useReading("readWatched", {});
  const [isNew, setNew] = useState(false);
  // Asked once: what came since the page was last left is news as long as it is open.
  const [since] = useState(() => {
    const before = localStorage.getItem(SEEN) ?? "";
    localStorage.setItem(SEEN, new Date().toISOString());
    return before;
  });
  const plans = files?.plans ?? [];
  const recent = (trials?.trials ?? []).slice(0, 6);
  const standin = project?.models.every((one) => one.standin) ?? false;
  return (
    <Shell
      title={project?.name ?? "Yoroshi"}
      about="what needs me"
      flows
      acts={
        <>
          <Link to="/begin" className="act">
            Begin with a table
          </Link>
          <Link to="/runs" className="act">
            Runs
          </Link>
          <a href="/api" className="act">
            For programs
          </a>
        </>
      }
    >
      <Problem error={error} />
      {project && !project.begun ? (
        <section className="welcome">
          <h2>Nothing is here yet.</h2>
          <p>Bring a table: a workbook, a CSV file, or a database's table. Some questions later its first rows are filled.</p>
          <Link to="/begin" className="main-act">
            Begin with a table
          </Link>
        </section>
      ) : (
        <div className="now">
          <section>
            <h2>Plans</h2>
            {files ? null : <Reading what="the plans" />}
            <ul className="plans">
              {plans.map((plan) => (
                <PlanLine key={plan.name} plan={plan} watched={watched?.plans.find((one) => one.plan === plan.name)} />
              ))}
            </ul>
            {files && plans.length === 0 ? <p className="quiet">There is no plan yet.</p> : null}
          </section>
          <section>
            <h2>Spent this month</h2>
            {project ? <Spent project={project} /> : null}
            {standin ? <p className="quiet">Answers come from the offline stand-in. `yoroshi model add` names a model.</p> : null}
            <h2>Trials</h2>
            <ul className="lines">
              {recent.map(({ run, template, version, at, parts, intervals }) => {
                const [part, accuracy] = Object.entries(parts).find(([, share]) => share !== null) ?? [];
                return (
                  <li key={run}>
                    <Link to="/trials/$template" params={{ template }} search={{ run }}>
                      {template} {version}
                    </Link>
                    <span>
                      {since !== "" && at > since ? <b>new </b> : null}
                      {part && accuracy !== null && accuracy !== undefined
                        ? `${part} ${percent(accuracy)} right (${range(intervals[part]!)})`
                        : ""}
                    </span>
                    <small className="quiet">{when(at)}</small>
                  </li>
                );
              })}
            </ul>
            {trials && recent.length === 0 ? <p className="quiet">None yet.</p> : null}
            <h2>Templates</h2>
            <ul className="lines">
              {files?.templates.map(({ name, title, broken }) => (
                <li key={name}>
                  <Link to="/template/$template" params={{ template: name }}>
                    {name}
                  </Link>
                  <span className="quiet">{title}</span>
                  {broken ? <small className="problem">has mistakes</small> : <a href={`/forms/${name}`}>form</a>}
                </li>
              ))}
            </ul>
            <div className="acts">
              <button type="button" className="act" aria-expanded={isNew} onClick={() => setNew(!isNew)}>
                New template
              </button>
            </div>
            {isNew ? (
              <Suspense fallback={null}>
                <NewTemplate />
              </Suspense>
            ) : null}
          </section>
        </div>
      )}
    </Shell>
  );
}

function Spent({
  project,
}: {
  readonly project: { readonly currency: string; readonly month: { readonly spent: number; readonly cap: number | null } };
}) {
  const { spent, cap } = project.month;
  return (
    <p>
      <b className="fig">{money(spent, project.currency)}</b>
      {cap === null ? <span className="quiet">, without a cap for the month</span> : ` of at most ${cap.toFixed(2)}`}
      {cap !== null && cap > 0 ? (
        <svg width="200" height="14" aria-hidden="true" className="interval">
          <line className="base" x1="2" x2="198" y1="7.5" y2="7.5" />
          <line className="span" x1="2" x2={2 + 196 * Math.min(1, spent / cap)} y1="7.5" y2="7.5" />
          <line className="stem now" x1="198" x2="198" y1="1" y2="14" />
        </svg>
      ) : null}
    </p>
  );
}

import { Link } from "@tanstack/react-router";
import { useReading } from "../../app/server.js";
import { Problem, Reading } from "../../parts/problem.js";
import type { Begun } from "./page.js";

/** What was made, and the first rows as they would be filled. */
export function Made({ begun }: { readonly begun: Begun }) {
  const { plan, template, files, draftProblem } = begun;
  const { data, error } = useReading("tryFirst", { plan, rows: 3 });
  return (
    <div className="made">
      <h2 tabIndex={-1} ref={(heading) => heading?.focus()}>
        {plan} is made.
      </h2>
      <p className="quiet">Written: {files.join(", ")}.</p>
      {draftProblem ? (
        <p className="problem">There is no draft of your words: {draftProblem}. The plan fills one sentence instead.</p>
      ) : null}
      <Problem error={error} />
      {data ? null : error ? null : <Reading what="the first answers" />}
      {data?.rows.map(({ key, text, values, reason }) => (
        <article key={key}>
          <h3>{key}</h3>
          <p className="quiet">{text}</p>
          {Object.entries(values).map(([column, value]) => (
            <p key={column}>
              <b className="fig">{column}</b> <span className="ink">{String(value)}</span>
            </p>
          ))}
          {reason ? <p className="problem">{reason}</p> : null}
        </article>
      ))}
      {data?.standin ? (
        <p className="quiet">
          Answered by the offline stand-in, not by a language model. <code>yoroshi model add</code> names one; the plan stays as it is.
        </p>
      ) : null}
      <div className="acts">
        <Link to="/table/$plan" params={{ plan }} className="main-act">
          To the whole table
        </Link>
        <Link to="/template/$template" params={{ template }} search={{ plan }} className="act">
          Improve the template
        </Link>
      </div>
    </div>
  );
}

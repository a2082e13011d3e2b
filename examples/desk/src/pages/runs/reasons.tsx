import { Link } from "@tanstack/react-router";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, UNDER_WAY, useReading } from "../../app/server.js";
import { Mark } from "../../parts/mark.js";
import { Problem, Reading } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";

/** Why cells of a plan have no value, or an old one: grouped, each with its rows and the way to ask these again. */
export function Reasons({ plan }: { readonly plan: string }) {
  const { data, error } = useReading("surveyPlan", { plan });
  const { data: shown } = useReading("showPlan", { plan });
  if (!data) return error ? <Problem error={error} /> : <Reading what="how the cells stand" />;
  if (data.reasons.length === 0) return <p className="quiet">Every cell has its value.</p>;
  return (
    <ul className="reasons">
      {data.reasons.map(({ step, state, reason, rows, keys }) => {
        const [column] = Object.keys(shown?.steps.find(({ name }) => name === step)?.fills ?? {});
        const filter = column === undefined ? undefined : { column, state: [state], because: reason };
        const ask = async (): Promise<void> => {
          try {
            const run = await server.fillPlan({
              plan,
              refill: state === "failed" ? "failed" : "stale",
              ...(filter ? { found: { filters: [filter] } } : {}),
            });
            queries.setQueryData(UNDER_WAY, (all: readonly object[] = []) => [run, ...all]);
            didAct({ says: `${plural(rows, "row")} of ${plan} are asked again.` });
          } catch (problem) {
            failed(problem);
          }
        };
        return (
          <li key={`${step} ${state} ${reason}`} className={state}>
            <p>
              <Mark state={state} /> {reason}
            </p>
            <small className="quiet">
              {step}: {plural(rows, "row")}, {keys.slice(0, 4).join(", ")}
              {rows > 4 ? " …" : ""}
            </small>
            <div className="acts">
              {filter ? (
                <Link to="/table/$plan" params={{ plan }} search={{ filters: [filter] }} className="quiet-act">
                  show them
                </Link>
              ) : null}
              {state === "failed" || state === "stale" || state === "blank" ? (
                <button type="button" className="quiet-act" onClick={() => void ask()}>
                  ask these again
                </button>
              ) : null}
            </div>
          </li>
        );
      })}
    </ul>
  );
}

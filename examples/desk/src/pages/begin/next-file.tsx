import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { didAct } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";

/** The file as the next one of a plan that stands: Monday's workbook. */
export function NextFile({ file }: { readonly file: string }) {
  const { data } = useReading("listFiles", {});
  const [plan, setPlan] = useState("");
  const plans = (data?.plans ?? []).filter(({ table, broken }) => !broken && table !== file && /\.[a-z]+$/i.test(table));
  if (plans.length === 0) return null;
  return (
    <details className="next-file">
      <summary>It is the next file of a plan that stands</summary>
      <label>
        Which plan?{" "}
        <select value={plan} onChange={({ target }) => setPlan(target.value)}>
          <option value="">…</option>
          {plans.map(({ name, table }) => (
            <option key={name} value={name}>
              {name} (now at {table})
            </option>
          ))}
        </select>
      </label>
      {plan === "" ? null : <Matched key={plan} plan={plan} file={file} />}
    </details>
  );
}

/** How the plan's columns are found in the new file, and what to say of those that are not. */
function Matched({ plan, file }: { readonly plan: string; readonly file: string }) {
  const navigate = useNavigate();
  const { data, error } = useReading("pointPlan", { plan, file, check: true });
  const [map, setMap] = useState<Readonly<Record<string, string>>>({});
  const [carry, setCarry] = useState(false);
  const [problem, setProblem] = useState<unknown>();
  const point = async (): Promise<void> => {
    try {
      const { from } = await server.pointPlan({ plan, file, map: { ...map }, ...(carry ? { carry } : {}) });
      await queries.invalidateQueries();
      didAct({
        says: `${plan} is at ${file} now.`,
        undo: async () => {
          await server.pointPlan({ plan, file: from });
          await queries.invalidateQueries();
        },
      });
      void navigate({ to: "/table/$plan", params: { plan } });
    } catch (one) {
      setProblem(one);
    }
  };
  if (!data) return <Problem error={error} />;
  const { missing = [], known = [] } = data;
  return (
    <div>
      <ul className="lines">
        {Object.entries(data.columns).map(([column, now]) => (
          <li key={column}>
            <span>{column}</span>
            <small className="quiet">{column === now ? "is there" : `is ${now} now`}</small>
          </li>
        ))}
        {missing.map((column) => (
          <li key={column}>
            <label>
              <b>{column}</b> is not there. It is{" "}
              <select value={map[column] ?? ""} onChange={({ target }) => setMap({ ...map, [column]: target.value })}>
                <option value="">…</option>
                {known.map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            </label>
          </li>
        ))}
      </ul>
      <p className="quiet">
        {data.isBack
          ? "The plan was at this file before: what was edited and decided there comes back."
          : `What was edited and decided at ${data.from} stays with it; answers that are known are used again.`}
      </p>
      {data.isBack ? null : (
        <label>
          <input type="checkbox" checked={carry} onChange={({ target }) => setCarry(target.checked)} /> carry edits and decisions over to
          rows with the same keys
        </label>
      )}
      <Problem error={problem} />
      <button type="button" className="main-act" disabled={missing.some((column) => !map[column])} onClick={() => void point()}>
        Go on with {file}
      </button>
    </div>
  );
}

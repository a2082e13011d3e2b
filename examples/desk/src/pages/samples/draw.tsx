import { useState, type FormEvent } from "react";
import { didAct } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";

/** Draws rows of a plan's table into the samples, with blank columns for the right values. */
export function Draw({ template, plan: asked }: { readonly template: string; readonly plan: string | undefined }) {
  const { data: files } = useReading("listFiles", {});
  const plans = (files?.plans ?? []).filter(({ templates }) => templates.includes(template)).map(({ name }) => name);
  const [chosen, setChosen] = useState<string | undefined>(asked);
  const [rows, setRows] = useState("40");
  const [seed, setSeed] = useState("1");
  const [way, setWay] = useState<"even" | "balance" | "doubtful">("even");
  const [balance, setBalance] = useState("");
  const [problem, setProblem] = useState<unknown>();
  const plan = chosen ?? plans[0];
  const { data: page } = useReading(
    "readRows",
    { plan: plan ?? "", from: 0, limit: 1 },
    { enabled: plan !== undefined && way === "balance" },
  );
  const draw = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    if (!plan) return;
    setProblem(undefined);
    try {
      const { drawn, left, file } = await server.drawSamples({
        plan,
        rows: Number(rows),
        seed: Number(seed),
        ...(way === "balance" && balance ? { balance } : {}),
        ...(way === "doubtful" ? { doubtful: true } : {}),
      });
      await queries.invalidateQueries();
      didAct({ says: `${plural(drawn, "row")} are drawn into ${file}; ${left} more could be.` });
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <form className="draw" onSubmit={(event) => void draw(event)}>
      <h3>Draw rows to label</h3>
      {plans.length === 0 ? <p className="quiet">No plan asks {template} yet, so there is no table to draw from.</p> : null}
      <label>
        of{" "}
        <select value={plan ?? ""} onChange={({ target }) => setChosen(target.value)}>
          {plans.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <label>
        <input type="number" min={1} value={rows} onChange={({ target }) => setRows(target.value)} /> rows, seed{" "}
        <input type="number" value={seed} onChange={({ target }) => setSeed(target.value)} />
      </label>
      <fieldset>
        <legend className="vh">Which</legend>
        <label>
          <input type="radio" name="way" checked={way === "even"} onChange={() => setWay("even")} /> any, by chance
        </label>
        <label>
          <input type="radio" name="way" checked={way === "balance"} onChange={() => setWay("balance")} /> evenly over a column
        </label>
        {way === "balance" ? (
          <select aria-label="Which column" value={balance} onChange={({ target }) => setBalance(target.value)}>
            <option value="">…</option>
            {page?.columns.map(({ name }) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        ) : null}
        <label>
          <input type="radio" name="way" checked={way === "doubtful"} onChange={() => setWay("doubtful")} /> the most doubtful
        </label>
      </fieldset>
      <button type="submit" className="act" disabled={!plan || (way === "balance" && balance === "")}>
        Draw
      </button>
      <Problem error={problem} />
    </form>
  );
}

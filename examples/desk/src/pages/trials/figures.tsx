import type { CallReport } from "yoroshi/client";
import { IntervalLine } from "../../parts/interval-line.js";
import { percent, plural, range } from "../../parts/words.js";

type Trial = CallReport<"readTrial">["trial"];

/** Slices, steadiness, advice: what else a trial found. */
export function Figures({ trial }: { readonly trial: Trial }) {
  return (
    <div className="figures">
      <Slices slices={trial.slices} />
      <Steadiness all={trial.steadiness} />
      <Evidence all={trial.evidence ?? []} />
      <Advice advice={trial.advice} />
      {trial.unfit.length > 0 ? (
        <section>
          <h2>{plural(trial.unfit.length, "label or row")} left out</h2>
          <ul className="lines">
            {trial.unfit.map(({ id, what, problem }) => (
              <li key={`${id} ${what}`}>
                <span>
                  {id}: {what} {problem}
                </span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
    </div>
  );
}

function Slices({ slices }: { readonly slices: Trial["slices"] }) {
  if (slices.length === 0) return null;
  return (
    <section>
      <h2>Slices</h2>
      <table className="contestants">
        <thead>
          <tr>
            <th scope="col">rows with</th>
            <th scope="col">part</th>
            <th scope="col">right</th>
            <th scope="col">all others</th>
          </tr>
        </thead>
        <tbody>
          {slices.map(({ by, value, part, rows, right, accuracy, interval, rest, standsOut }) => (
            <tr key={`${by} ${value} ${part}`} className={standsOut ? "first" : undefined}>
              <th scope="row">
                {by} {value}
                {standsOut ? <small> stands out, beyond chance</small> : null}
              </th>
              <td>{part}</td>
              <td>
                <IntervalLine at={accuracy * 100} low={interval.low * 100} high={interval.high * 100} />
                <small>
                  {right} of {rows}: {percent(accuracy)} ({range(interval)})
                </small>
              </td>
              <td className="fig">{rest === null ? "" : percent(rest)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Steadiness({ all }: { readonly all: Trial["steadiness"] }) {
  if (all.length === 0) return null;
  return (
    <section>
      <h2>Steadiness</h2>
      {all.map(({ part, asks, rows, same, kappa, least }) => (
        <div key={part}>
          <p>
            <b>{part}</b>: asked {asks} times, the answer was the same in {percent(same)} of {plural(rows, "row")}
            {kappa === null ? "" : ` (Fleiss' kappa ${kappa.toFixed(2)})`}.
          </p>
          {least.slice(0, 5).map(({ id, answers }) => (
            <p key={id} className="quiet">
              {id}: {answers.join(", ")}
            </p>
          ))}
        </div>
      ))}
    </section>
  );
}

function Evidence({ all }: { readonly all: NonNullable<Trial["evidence"]> }) {
  if (all.length === 0) return null;
  return (
    <section>
      <h2>Evidence</h2>
      {all.map(({ part, answers, atOnce, mended, never, neverInterval }) => (
        <p key={part}>
          <b>{part}</b>: of {plural(answers, "answer")} that needed words of the row, {atOnce} had them at once, {mended} after the mend,{" "}
          {never} never ({range(neverInterval)}).
        </p>
      ))}
    </section>
  );
}

function Advice({ advice }: { readonly advice: Trial["advice"] }) {
  if (advice.confused.length === 0 && advice.labels.length === 0) return null;
  return (
    <section>
      <h2>What to look at first</h2>
      <ul className="lines">
        {advice.confused.map(({ part, right, answered, rows, words, ids }) => (
          <li key={`${part} ${right} ${answered}`}>
            <span>
              {part}: {right} was answered {answered} in {plural(rows, "row")}
              {words.length > 0 ? `, which have ${words.map((word) => `“${word}”`).join(", ")}` : ""}
            </span>
            <small className="quiet">{ids.slice(0, 4).join(", ")}</small>
          </li>
        ))}
        {advice.labels.map(({ id, part, label, answer, why }) => (
          <li key={`${id} ${part}`}>
            <span>
              {id}: the label {label} may be wrong; {answer} was answered, {why}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

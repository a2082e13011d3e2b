import type { CallReport } from "yoroshi/client";
import { IntervalLine } from "../../parts/interval-line.js";
import { percent, plural } from "../../parts/words.js";

type Data = CallReport<"readTrial">;

/** From −100 to +100 points, on the scale of a line from 0 to 100. */
const at = (difference: number): number => 50 + difference * 50;

/** What may be concluded, in sentences; each difference with its interval: one that leaves nought out is no chance. */
export function Verdict({ data }: { readonly data: Data }) {
  const { comparisons, contest, trial, rowsNeeded, name } = data;
  const needed = Object.entries(rowsNeeded).filter(([, rows]) => rows > 0);
  return (
    <section>
      <h2>{headOf(data)}</h2>
      {comparisons.map((one, index) => (
        <div key={one.run} className="against">
          <h3>
            {name} against {one.name}
          </h3>
          {contest?.against[index]?.parts.map((part) => (
            <div key={part.part}>
              <p>
                <b className="fig">{part.part}</b>: {one.says[part.part]}.
              </p>
              <IntervalLine width={220} at={at(part.difference)} low={at(part.interval.low)} high={at(part.interval.high)} limit={50} />
              <small className="quiet">
                right where the other was wrong: {part.won}; the other way: {part.lost}; the dashed line is “the same”
              </small>
            </div>
          ))}
        </div>
      ))}
      {comparisons.length === 0 ? <p className="quiet">Tick another contestant to hold it against.</p> : null}
      {needed.length > 0 ? (
        <p className="quiet">For intervals of ±5 points: {needed.map(([part, rows]) => `${part} ${rows} more rows`).join(", ")}.</p>
      ) : null}
      {trial.agreement.map(({ part, labellers, rows, same }) => (
        <p key={part} className="quiet">
          {labellers.join(" and ")} agree on {part} in {percent(same)} of {plural(rows, "row")}.
        </p>
      ))}
      {trial.sealed.graded ? (
        <p className="quiet">This was look {trial.sealed.looks} at the sealed samples. Each look wears them out a little.</p>
      ) : trial.sealed.rows > 0 ? (
        <p className="quiet">{plural(trial.sealed.rows, "sealed row")} left alone.</p>
      ) : null}
      {trial.examples.length > 0 ? (
        <p className="quiet">{plural(trial.examples.length, "row")} of the file are examples in the template, and not graded.</p>
      ) : null}
    </section>
  );
}

/** The verdict in three words, by the first part of the first comparison that says something. */
function headOf({ contest, name, trial }: Data): string {
  const [first] = contest?.against ?? [];
  if (!first) return `${name}, ${plural(trial.samples, "row")}`;
  const clear = first.parts.find(({ beyondChance }) => beyondChance);
  if (!clear) return "It cannot be told which is better.";
  const better = clear.difference > 0 ? name : first.name;
  return `${better.charAt(0).toUpperCase()}${better.slice(1)} is better.`;
}

import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { IntervalLine } from "../../parts/interval-line.js";
import { plural, whole } from "../../parts/words.js";

type Check = CallReport<"showReview">["checks"][number];

/** What random checks say so far of each column: how many cells are wrong, with exact bounds; it moves as one decides. */
export function CheckFigures({ plan }: { readonly plan: string }) {
  const { data } = useReading("showReview", { plan }, { keep: true });
  if (!data || data.checks.length === 0) return null;
  return (
    <section className="check" aria-label="What the random check says so far">
      {data.checks.map((check) => (
        <CheckTold key={check.check} check={check} />
      ))}
    </section>
  );
}

function CheckTold({ check: { step, version, model, population, columns, left, movedOn } }: { readonly check: Check }) {
  return (
    <>
      <h3>
        What the random check says so far{" "}
        <span className="quiet">
          {step}, version {version}, {model}: drawn from {plural(population, "row")}
        </span>
      </h3>
      <table className="wrongs">
        <thead>
          <tr>
            <th scope="col">column</th>
            <th scope="col">found wrong</th>
            <th scope="col">of all {population.toLocaleString("en")}, with 95 % confidence</th>
            <th scope="col">release</th>
          </tr>
        </thead>
        <tbody>
          {columns.map(({ column, checked, wrong, bounds, release, isReleased }) => (
            <tr key={column}>
              <th scope="row">{column}</th>
              <td className="fig">
                {wrong} of {checked}
              </td>
              <td>
                {bounds ? (
                  <>
                    <IntervalLine
                      width={180}
                      at={checked > 0 ? (wrong / checked) * 100 : undefined}
                      low={(bounds.low / population) * 100}
                      high={(bounds.high / population) * 100}
                      limit={release ? (release.mostWrong / population) * 100 : undefined}
                    />
                    <small>
                      {bounds.low} to {bounds.high} wrong: at most {whole(bounds.high / population)}
                    </small>
                  </>
                ) : (
                  <small className="quiet">none looked at yet</small>
                )}
              </td>
              <td>
                <small>
                  {isReleased
                    ? "released"
                    : release
                      ? release.isShown
                        ? "good enough"
                        : `at most ${release.mostWrong} may be wrong${typeof release.more === "number" ? `; ${release.more} more without a wrong one` : ""}`
                      : "not asked for"}
                </small>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet">
        {left > 0 ? `${plural(left, "row")} of the draw still to look at.` : "The draw is looked through."}
        {movedOn > 0 ? ` ${plural(movedOn, "row")} were answered anew since, and do not count.` : ""}
      </p>
    </>
  );
}

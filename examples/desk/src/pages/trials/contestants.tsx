import type { CallReport } from "yoroshi/client";
import { IntervalLine } from "../../parts/interval-line.js";
import { money, percent, range, when } from "../../parts/words.js";

export type TrialLine = CallReport<"listTrials">["trials"][number];

interface Props {
  /** The one that is looked at first. */
  readonly lines: readonly TrialLine[];
  readonly against: readonly string[];
  readonly currency: string;
  readonly onFirst: (run: string) => void;
  readonly onAgainst: (runs: readonly string[]) => void;
}

/** Trials on the same samples, side by side: shares of right answers with their intervals, what a thousand rows cost and take. */
export function Contestants({ lines, against, currency, onFirst, onAgainst }: Props) {
  const [first] = lines;
  const parts = Object.keys(first?.parts ?? {});
  const columns = against.filter((one) => one.startsWith("column="));
  return (
    <section aria-label="Contestants" className="scrolls" tabIndex={0}>
      <table className="contestants">
        <caption>
          {first?.samples} rows of {first?.file}, with 95 % intervals
        </caption>
        <thead>
          <tr>
            <th scope="col">
              <span className="vh">held against</span>
            </th>
            <th scope="col">who</th>
            {parts.map((part) => (
              <th key={part} scope="col">
                {part} right
              </th>
            ))}
            <th scope="col">a thousand rows</th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line, index) => (
            <tr key={line.run} className={index === 0 ? "first" : undefined}>
              <td>
                {index === 0 ? null : (
                  <input
                    type="checkbox"
                    aria-label={`Hold version ${line.version} of ${when(line.at)} against it`}
                    checked={against.includes(line.run)}
                    onChange={({ target }) =>
                      onAgainst(target.checked ? [...against, line.run] : against.filter((one) => one !== line.run))
                    }
                  />
                )}
              </td>
              <th scope="row">
                <button
                  type="button"
                  className={index === 0 ? undefined : "quiet-act"}
                  aria-pressed={index === 0}
                  onClick={() => onFirst(line.run)}
                >
                  <b>version {line.version}</b>
                </button>
                <small className="quiet">
                  {line.model}, {when(line.at)}
                  {line.sealed ? ", sealed" : ""}
                </small>
              </th>
              {parts.map((part) => {
                const accuracy = line.parts[part];
                const interval = line.intervals[part];
                return (
                  <td key={part}>
                    {accuracy === null || accuracy === undefined || !interval ? (
                      <small className="quiet">not graded</small>
                    ) : (
                      <>
                        <IntervalLine at={accuracy * 100} low={interval.low * 100} high={interval.high * 100} width={130} />
                        <small>
                          <b>{percent(accuracy)}</b> ({range(interval)})
                        </small>
                      </>
                    )}
                  </td>
                );
              })}
              <td className="fig">
                <small>
                  {money(line.costPerThousand, currency)}
                  <br />
                  {timeTold(line.msPerThousand)}
                </small>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <ColumnField
        parts={parts}
        columns={columns}
        onColumn={(column) => onAgainst([...against, column])}
        onOff={(column) => onAgainst(against.filter((one) => one !== column))}
      />
    </section>
  );
}

const timeTold = (ms: number): string => (ms < 90_000 ? `${Math.round(ms / 1_000)} s` : `${Math.round(ms / 60_000)} min`);

/** A column of the samples, such as an old rule's result, as one more contestant. */
function ColumnField({
  parts,
  columns,
  onColumn,
  onOff,
}: {
  readonly parts: readonly string[];
  readonly columns: readonly string[];
  readonly onColumn: (column: string) => void;
  readonly onOff: (column: string) => void;
}) {
  return (
    <form
      className="column-field"
      onSubmit={(event) => {
        event.preventDefault();
        const given = new FormData(event.currentTarget);
        const column = String(given.get("column") ?? "").trim();
        if (column !== "") onColumn(`column=${String(given.get("part"))}:${column}`);
        event.currentTarget.reset();
      }}
    >
      {columns.map((one) => (
        <button key={one} type="button" className="quiet-act" onClick={() => onOff(one)}>
          {one.replace("column=", "column ")} ×
        </button>
      ))}
      <label>
        or the samples' column <input name="column" size={12} placeholder="ruleHazard" />
      </label>
      <label>
        as{" "}
        <select name="part">
          {parts.map((part) => (
            <option key={part}>{part}</option>
          ))}
        </select>
      </label>
      <button type="submit" className="act">
        Hold against it
      </button>
    </form>
  );
}

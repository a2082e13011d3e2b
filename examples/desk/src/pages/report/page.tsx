import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { STATE_MARKS, type CellState } from "yoroshi";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { ShareChart, type ShareBar } from "../../parts/share-chart.js";
import { percent, plural, when } from "../../parts/words.js";
import { ChangesList } from "./changes.js";
import { EvidenceSection } from "./evidence.js";
import { DriftGloss } from "./drift.js";
import "./report.css";

type Told = CallReport<"reportPlan">;
type Column = Told["columns"][number];

const STATES: readonly CellState[] = ["filled", "edited", "stale", "held", "failed", "skipped", "blank"];
const MOST_BARS = 12;

/** How things stand: states, what stands in the columns, what moved, what the last fill altered, whether answers drift. */
export function ReportPage() {
  const { plan } = useParams({ from: "/report/$plan" });
  const { data, error } = useReading("reportPlan", { plan });
  const [isNoting, setNoting] = useState(false);
  const note = async (): Promise<void> => {
    setNoting(true);
    try {
      await server.markReport({ plan });
      await queries.invalidateQueries({ queryKey: ["reportPlan"] });
      didAct({ says: "The next report tells what has moved since now." });
    } catch (problem) {
      failed(problem);
    }
    setNoting(false);
  };
  return (
    <Shell
      title={plan}
      about="how things stand"
      plan={plan}
      flows
      acts={
        <button type="button" className="act" disabled={isNoting} onClick={() => void note()}>
          Count from now on
        </button>
      }
    >
      <div className="report">
        <section>
          <Problem error={error} />
          {data ? <States plan={plan} data={data} /> : error ? null : <Reading what="the table" />}
          {data?.columns.map((column) => (
            <ColumnFigures key={column.column} plan={plan} column={column} />
          ))}
          {data && data.evidence.length > 0 ? <EvidenceSection plan={plan} evidence={data.evidence} /> : null}
        </section>
        <aside className="glosses">
          {data ? <Since data={data} /> : null}
          <DriftGloss plan={plan} />
          <ChangesList plan={plan} />
        </aside>
      </div>
    </Shell>
  );
}

function States({ plan, data }: { readonly plan: string; readonly data: Told }) {
  const used = STATES.filter((state) => Object.values(data.states).some((column) => (column[state] ?? 0) > 0));
  return (
    <div className="scrolls">
      <table className="contestants">
        <caption>
          {plural(data.rows, "row")} of {data.table}
        </caption>
        <thead>
          <tr>
            <th scope="col">column</th>
            {used.map((state) => (
              <th key={state} scope="col" className="n">
                <span aria-hidden="true">{STATE_MARKS[state].sign}</span> {state}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {Object.entries(data.states).map(([column, counts]) => (
            <tr key={column}>
              <th scope="row">{column}</th>
              {used.map((state) => (
                <td key={state} className="n fig">
                  {counts[state] ? (
                    <Link to="/table/$plan" params={{ plan }} search={{ filters: [{ column, state: [state] }] }}>
                      {counts[state].toLocaleString("en")}
                    </Link>
                  ) : (
                    <span className="quiet">0</span>
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function ColumnFigures({ plan, column }: { readonly plan: string; readonly column: Column }) {
  const { column: name, rows, blank, numbers, lengths, shares } = column;
  const filled = rows - blank;
  const told = [
    `${plural(filled, "cell")} with a value, ${blank.toLocaleString("en")} blank`,
    numbers && `mean ${numbers.mean.toFixed(2)}, median ${numbers.median}, ${numbers.least} to ${numbers.most}`,
    lengths && `${lengths.least} to ${lengths.most} characters, ${Math.round(lengths.mean)} on average`,
  ].filter(Boolean);
  const bars = lengths ? lengthBars(lengths.bins, filled) : valueBars(name, shares, numbers !== undefined);
  return (
    <section className="column">
      <h2>{name}</h2>
      {bars.length === 0 ? (
        <p className="quiet">{told.join("; ")}.</p>
      ) : (
        <ShareChart plan={plan} name={`${plan}-${name}`} title={`What stands in ${name}`} about={`${told.join("; ")}.`} bars={bars} />
      )}
    </section>
  );
}

const lengthBars = (bins: NonNullable<Column["lengths"]>["bins"], filled: number): ShareBar[] =>
  bins.map(({ upTo, rows }) => ({ value: `up to ${upTo} characters`, rows, share: rows / Math.max(1, filled) }));

/** Points of a scale in their order, all else by how often it occurs. */
function valueBars(column: string, shares: Column["shares"], isNumber: boolean): ShareBar[] {
  const some = shares.slice(0, MOST_BARS);
  if (isNumber) some.sort((a, b) => Number(a.value) - Number(b.value));
  return some.map(({ value, rows, share, low, high }) => ({
    value,
    rows,
    share,
    low,
    high,
    to: { filters: [{ column, is: [value] }] },
  }));
}

function Since({ data: { since, moved, passed } }: { readonly data: Told }) {
  if (since === null)
    return (
      <section>
        <h3>Since the last report</h3>
        <p className="quiet">There is none yet. “Count from now on” makes this one the measure.</p>
      </section>
    );
  const beyond = moved.filter(({ adjusted }) => adjusted < 0.05);
  return (
    <section>
      <h3>Since the last report, {when(since)}</h3>
      {beyond.length === 0 ? <p className="quiet">No column has moved beyond chance.</p> : null}
      <ul className="moved">
        {beyond.map(({ column, before, since: now, adjusted }) => (
          <li key={column}>
            <b>{column}</b> has moved <small className="quiet">p {adjusted < 0.001 ? "< 0.001" : adjusted.toFixed(3)}</small>
            <br />
            <small>
              {now
                .slice(0, 3)
                .map(
                  ({ value, share }) =>
                    `${value || "blank"} ${percent(before.find((one) => one.value === value)?.share ?? 0)} → ${percent(share)}`,
                )
                .join(", ")}
            </small>
          </li>
        ))}
        {passed.slice(0, 8).map(({ column, before, after, rows }) => (
          <li key={`${column} ${before} ${after}`}>
            <small>
              {column}: {before || "blank"} → {after || "blank"}, {plural(rows, "row")}
            </small>
          </li>
        ))}
      </ul>
    </section>
  );
}

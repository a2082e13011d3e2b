import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { server, useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { ShareChart } from "../../parts/share-chart.js";
import { money, plural } from "../../parts/words.js";
import type { TableSearch } from "../table/search.js";
import "../report/report.css";
import "./ask.css";

type Answer = CallReport<"askTable">;

const COLUMNS_SHOWN = 5;
const MOST_GROUPS = 20;

/** Questions to a plan's table in plain words: a model turns them into figures and conditions, code counts. */
export function AskPage() {
  const { plan } = useParams({ from: "/ask/$plan" });
  const { question = "" } = useSearch({ from: "/ask/$plan" });
  const navigate = useNavigate({ from: "/ask/$plan" });
  const [words, setWords] = useState(question);
  const [answers, setAnswers] = useState<readonly Answer[]>([]);
  const [isAsking, setAsking] = useState(false);
  const { data: project } = useReading("showProject", {});
  const ask = async (asked: string): Promise<void> => {
    if (asked.trim() === "" || isAsking) return;
    setAsking(true);
    try {
      const answer = await server.askTable({ of: plan, question: asked });
      setAnswers((before) => [answer, ...before.filter((one) => one.question !== answer.question)]);
      void navigate({ search: { question: asked }, replace: true });
    } catch (error) {
      failed(error);
    }
    setAsking(false);
  };
  const [first, ...earlier] = answers;
  return (
    <Shell title={plan} about="questions to the table" plan={plan} flows>
      <div className="ask">
        <section>
          <form
            className="question"
            onSubmit={(event) => {
              event.preventDefault();
              void ask(words);
            }}
          >
            <label htmlFor="question">A question in plain words</label>
            <input
              id="question"
              value={words}
              maxLength={2_000}
              placeholder="How many of MV Tern's reports are grave?"
              onChange={({ target }) => setWords(target.value)}
            />
            <button type="submit" className="act" disabled={isAsking || words.trim() === ""}>
              {isAsking ? "Asking …" : "Ask"}
            </button>
          </form>
          <div aria-live="polite">
            {first ? (
              <AnswerShown
                plan={plan}
                answer={first}
                currency={project?.currency ?? ""}
                onReading={(reading) => {
                  setWords(reading);
                  void ask(reading);
                }}
              />
            ) : null}
          </div>
          {earlier.length > 0 ? (
            <>
              <h2>Asked before</h2>
              <ul className="moved">
                {earlier.map(({ question: asked }) => (
                  <li key={asked}>
                    <button
                      type="button"
                      onClick={() => {
                        setWords(asked);
                        void ask(asked);
                      }}
                    >
                      {asked}
                    </button>
                  </li>
                ))}
              </ul>
            </>
          ) : null}
        </section>
        <aside className="glosses">
          <section>
            <h3>How it is answered</h3>
            <p className="quiet">
              A model says by which figure and conditions the question is answered, never a number. Code checks them against the columns and
              counts all rows. What cannot be counted is read from the rows' words, and marked as read.
            </p>
          </section>
          {first && !first.back ? <Keep key={first.question} plan={plan} question={first.question} /> : null}
        </aside>
      </div>
    </Shell>
  );
}

function AnswerShown({
  plan,
  answer,
  currency,
  onReading,
}: {
  readonly plan: string;
  readonly answer: Answer;
  readonly currency: string;
  readonly onReading: (reading: string) => void;
}) {
  const { back, groups, value, counted, where, matched, shown, unclear, problem, known, spent } = answer;
  const cost = known ? "The reading was known; nothing was asked." : `${money(spent, currency)} spent.`;
  if (back)
    return (
      <article className="answer">
        <p className="problem">Cannot be counted so. {back.problem}</p>
        {back.readings.length > 0 ? (
          <>
            <p>Do you mean:</p>
            <ul className="readings">
              {back.readings.map((reading) => (
                <li key={reading}>
                  <button type="button" className="act" onClick={() => onReading(`How many rows where ${reading.replace(/[`“”]/g, "")}?`)}>
                    {reading.replaceAll("`", "")}
                  </button>
                </li>
              ))}
            </ul>
          </>
        ) : null}
        <small className="quiet">{cost}</small>
      </article>
    );
  const sum = groups?.reduce((all, { rows }) => all + rows, 0) ?? 0;
  return (
    <article className="answer">
      {groups && answer.figure === "rows counted" ? (
        <ShareChart
          plan={plan}
          name={`${plan}-answer`}
          title={`rows for each ${answer.by ?? ""}`}
          about={`${plural(sum, "row")} in all.`}
          bars={groups.slice(0, MOST_GROUPS).map((group) => ({
            value: group.value,
            rows: group.rows,
            share: group.rows / Math.max(1, sum),
            to: groupRows(answer, group.value),
          }))}
        />
      ) : groups ? (
        <table className="contestants">
          <thead>
            <tr>
              <th scope="col">{answer.by}</th>
              <th scope="col">{answer.figure}</th>
              <th scope="col">rows</th>
            </tr>
          </thead>
          <tbody>
            {groups.slice(0, MOST_GROUPS).map((group) => (
              <tr key={group.value}>
                <th scope="row">
                  <Link to="/table/$plan" params={{ plan }} search={groupRows(answer, group.value)}>
                    {group.value}
                  </Link>
                </th>
                <td className="fig">{figureOf(answer, group.figure === "" ? null : group.figure)}</td>
                <td className="fig">{group.rows.toLocaleString("en")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : answer.answer !== undefined ? (
        <>
          <p>{answer.answer}</p>
          <p className="problem">Read by a model from the rows, not counted.</p>
          {answer.unfounded && answer.unfounded.length > 0 ? (
            <p className="problem">These numbers stand in no row: {answer.unfounded.join(", ")}</p>
          ) : null}
        </>
      ) : (
        <p className="figure">{answer.what === "list" ? plural(matched, "row") : figureOf(answer, value)}</p>
      )}
      <p className="quiet">{counted.replaceAll("`", "")}</p>
      {where ? <code>{where}</code> : null}
      {unclear > 0 ? (
        <p className="problem">
          {plural(unclear, "row")} could not count: {problem}
        </p>
      ) : null}
      {groups ? null : <RowsBehind plan={plan} rows={shown} where={where} matched={matched} />}
      <small className="quiet">{cost}</small>
    </article>
  );
}

/** Whether a filter is of rows of another table, which the table here does not have. */
const isOfOthers = (where: string | undefined): boolean => where?.includes(".exists(one, ") === true;

/** Where the rows of a group stand in the table. */
const groupRows = ({ by = "", where }: Answer, value: string): TableSearch => ({
  filters: [{ column: by, is: [value === "(blank)" ? "" : value] }],
  ...(where ? { where } : {}),
});

function figureOf({ figure }: Answer, value: Answer["value"]): string {
  if (value === null) return "nothing to tell";
  if (typeof value !== "number") return String(value);
  return figure === "share of rows" ? `${(100 * value).toFixed(1)} %` : value.toLocaleString("en", { maximumFractionDigits: 4 });
}

function RowsBehind({
  plan,
  rows,
  where,
  matched,
}: {
  readonly plan: string;
  readonly rows: Answer["shown"];
  readonly where: string | undefined;
  readonly matched: number;
}) {
  const [first] = rows;
  if (!first) return null;
  const all = Object.keys(first.row).filter((column) => rows.some(({ key, row }) => row[column] !== key));
  const about = all.filter((column) => where?.includes(column));
  const columns = [...new Set([...about, ...all])].slice(0, COLUMNS_SHOWN);
  return (
    <>
      <div className="scrolls">
        <table className="contestants">
          <thead>
            <tr>
              <th scope="col">row</th>
              {columns.map((column) => (
                <th key={column} scope="col">
                  {column}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(({ key, row }) => (
              <tr key={key}>
                <th scope="row">
                  <Link to="/table/$plan" params={{ plan }} search={{ row: key }}>
                    {key}
                  </Link>
                </th>
                {columns.map((column) => (
                  <td key={column}>{row[column]}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {isOfOthers(where) ? null : (
        <p>
          <Link to="/table/$plan" params={{ plan }} search={where ? { where } : {}}>
            {matched === 1 ? "This row" : `All ${matched.toLocaleString("en")} rows`} in the table
          </Link>
        </p>
      )}
    </>
  );
}

/** A question becomes a row of a plan that answers it again whenever the table has changed. */
function Keep({ plan, question }: { readonly plan: string; readonly question: string }) {
  const [name, setName] = useState("questions");
  const [isKept, setKept] = useState<CallReport<"keepQuestion"> | undefined>();
  const keep = async (): Promise<void> => {
    try {
      const kept = await server.keepQuestion({ of: plan, question, plan: name });
      setKept(kept);
      didAct({ says: `Kept as ${kept.key} in ${kept.table}; a fill of ${kept.plan} answers it, and again when the table has changed.` });
    } catch (error) {
      failed(error);
    }
  };
  return (
    <section>
      <h3>Keep it</h3>
      {isKept ? (
        <p>
          Kept as {isKept.key} in{" "}
          <Link to="/table/$plan" params={{ plan: isKept.plan }}>
            {isKept.plan}
          </Link>
          .
        </p>
      ) : (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void keep();
          }}
        >
          <label>
            as a row of the plan{" "}
            <input value={name} pattern="[a-z0-9][a-z0-9\-]*" required onChange={({ target }) => setName(target.value)} />
          </label>{" "}
          <button type="submit" className="act">
            Keep
          </button>
        </form>
      )}
    </section>
  );
}

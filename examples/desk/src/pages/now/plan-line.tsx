import { Link } from "@tanstack/react-router";
import { STATE_MARKS, type CellState } from "yoroshi";
import type { CallReport } from "yoroshi/client";
import { problemOf, useReading } from "../../app/server.js";
import { plural, when } from "../../parts/words.js";

type Watched = CallReport<"readWatched">["plans"][number];
type Listed = NonNullable<CallReport<"listFiles">["plans"]>[number];

const NEEDS: readonly CellState[] = ["failed", "held", "stale", "blank"];
const WORDS: Readonly<Partial<Record<CellState, string>>> = {
  failed: "failed",
  held: "held",
  stale: "out of date",
  blank: "not asked yet",
};

/** A plan with what waits in it; each figure leads to its rows. */
export function PlanLine({
  plan: { name, title, table, broken },
  watched,
}: {
  readonly plan: Listed;
  readonly watched?: Watched | undefined;
}) {
  const { data, error } = useReading("readStanding", { plan: name }, { enabled: !broken });
  const needs = NEEDS.filter((state) => (data?.rowsWith[state] ?? 0) > 0);
  return (
    <li>
      <div className="plan-name">
        <Link to="/table/$plan" params={{ plan: name }}>
          <b>{name}</b>
        </Link>{" "}
        <span className="quiet">{title || table}</span>
        {watched ? <WatchLine watched={watched} /> : null}
      </div>
      <div className="needs">
        {broken ? (
          <span className="problem">has mistakes</span>
        ) : error ? (
          <span className="problem">{problemOf(error)}</span>
        ) : data ? (
          needs.length > 0 ? (
            needs.map((state) =>
              state === "held" ? (
                <Link key={state} to="/review/$plan" params={{ plan: name }} className={state}>
                  <Need state={state} rows={data.rowsWith[state]!} />
                </Link>
              ) : (
                <Link key={state} to="/table/$plan" params={{ plan: name }} search={{ states: [state] }} className={state}>
                  <Need state={state} rows={data.rowsWith[state]!} />
                </Link>
              ),
            )
          ) : (
            <span className="quiet">{plural(data.rows, "row")}, nothing waits</span>
          )
        ) : (
          <span className="quiet">counting …</span>
        )}
        <span className="quiet plan-links">
          <Link to="/ask/$plan" params={{ plan: name }}>
            ask
          </Link>
          <Link to="/report/$plan" params={{ plan: name }}>
            report
          </Link>
          <Link to="/plan/$plan" params={{ plan: name }}>
            the plan
          </Link>
        </span>
      </div>
    </li>
  );
}

const WATCHED: Readonly<Record<NonNullable<Watched["watch"]>["state"], string>> = {
  off: "nobody watches it",
  standby: "watched by another process",
  waiting: "watched",
  round: "a round goes on",
  resting: "watched, and rests",
};

/** Who watches a plan that is filled by itself, its last round, why it rests, and messages that wait. */
function WatchLine({ watched: { watch, messages } }: { readonly watched: Watched }) {
  const { state = "off", lastRound = null, nextRound = null, problem = null } = watch ?? {};
  const parts = [
    WATCHED[state],
    lastRound && `last round ${when(lastRound.at)}: ${plural(lastRound.asked, "row")} asked, ${plural(lastRound.changes, "cell")} altered`,
    nextRound && `next at ${new Date(nextRound).toLocaleString("en-GB", { weekday: "short", hour: "2-digit", minute: "2-digit" })}`,
    messages > 0 && `${plural(messages, "message")} of its rules wait`,
  ].filter(Boolean);
  return (
    <small className="quiet watch-line">
      {parts.join(" · ")}
      {problem ? <span className="problem"> {problem}</span> : null}
    </small>
  );
}

const Need = ({ state, rows }: { readonly state: CellState; readonly rows: number }) => (
  <>
    <span className="m" aria-hidden="true">
      {STATE_MARKS[state].sign}
    </span>
    {rows.toLocaleString("en")} <span className="v">{WORDS[state]}</span>
  </>
);

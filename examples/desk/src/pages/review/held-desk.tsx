import { useNavigate } from "@tanstack/react-router";
import { useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import type { CallInput, CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { useKeys } from "../../app/keys.js";
import { queries, server, useReading } from "../../app/server.js";
import { Mark } from "../../parts/mark.js";
import { Problem, Reading } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";
import { Glosses } from "./glosses.js";
import { HeldCase } from "./held-case.js";

export type ReviewRow = CallReport<"readReview">["rows"][number];
export type Verdicts = CallInput<"decide">["columns"];

const MOST = 100;

interface Props {
  readonly plan: string;
  /** The row that the address names. */
  readonly wanted: string | undefined;
  readonly figures: ReactNode;
  readonly told: string;
}

const nameOf = ({ step, key }: { readonly step: string; readonly key: string }): string => `${step} ${key}`;

/** Held rows: a list, the row in hand with its values, and what is known of it in the margin. */
export function HeldDesk({ plan, wanted, figures, told }: Props) {
  const navigate = useNavigate({ from: "/review/$plan" });
  const { data, error } = useReading("readReview", { plan, limit: MOST }, { keep: true });
  /** What was decided while the page is open, so that the list keeps its places. */
  const [done, setDone] = useState<ReadonlyMap<string, { readonly row: ReviewRow; readonly how: string }>>(new Map());
  const [later, setLater] = useState<ReadonlySet<string>>(new Set());
  const rows = useMemo(() => (data?.rows ?? []).filter((row) => !done.has(nameOf(row))), [data, done]);
  const open = [...rows.filter((row) => !later.has(nameOf(row))), ...rows.filter((row) => later.has(nameOf(row)))];
  const row = rows.find(({ key }) => key === wanted) ?? open[0];
  const since = useRef(performance.now());
  useEffect(() => {
    since.current = performance.now();
  }, [row?.step, row?.key]);

  const show = (next: ReviewRow | undefined): void => void navigate({ search: next ? { key: next.key } : {}, replace: true });
  const after = (one: ReviewRow): ReviewRow | undefined => {
    const at = open.indexOf(one);
    return open[at + 1] ?? open.find((other) => other !== one);
  };
  const decide = async (one: ReviewRow, columns: Verdicts, says: string): Promise<void> => {
    const next = after(one);
    try {
      const judged = Object.fromEntries(one.values.map(({ column, judged: mark }) => [column, mark]));
      const { act } = await server.decide({
        plan,
        step: one.step,
        key: one.key,
        columns,
        judged: Object.fromEntries(Object.keys(columns).map((column) => [column, judged[column]!])),
        tookMs: performance.now() - since.current,
      });
      setDone((before) => new Map(before).set(nameOf(one), { row: one, how: says }));
      show(next);
      refresh(plan);
      didAct({
        says: `${one.key}: ${says}.`,
        undo: async () => {
          await server.undoDecision({ plan, act });
          setDone((before) => new Map([...before].filter(([name]) => name !== nameOf(one))));
          refresh(plan);
          show(one);
        },
      });
    } catch (problem) {
      failed(problem);
      // Somebody else decided it, or it was answered anew.
      void queries.invalidateQueries({ queryKey: ["readReview"] });
    }
  };
  const putOff = (one: ReviewRow): void => {
    setLater((before) => new Set(before).add(nameOf(one)));
    show(after(one));
  };
  const step = (by: number): void => {
    const at = row ? rows.indexOf(row) : -1;
    const next = rows[Math.min(Math.max(0, at + by), rows.length - 1)];
    if (next) show(next);
  };
  useKeys({ j: () => step(1), k: () => step(-1), ArrowDown: () => step(1), ArrowUp: () => step(-1), l: () => row && putOff(row) });
  if (!data) return error ? <Problem error={error} /> : <Reading what="what is held" />;
  return (
    <div className="review">
      <nav className="list" aria-label="Held rows">
        <h2>Held rows</h2>
        <ol>
          {[...done.values()].slice(-4).map(({ row: one, how }) => (
            <li key={nameOf(one)} className="done">
              <span>
                <span className="m">·</span>
                <span className="id">{one.key}</span>
                <span className="t">{how}</span>
              </span>
            </li>
          ))}
          {rows.map((one) => (
            <li key={nameOf(one)}>
              <button type="button" aria-current={one === row ? "true" : undefined} onClick={() => show(one)}>
                <Mark state="held" />
                <span className="id">{one.key}</span>
                <span className="t">{one.values.map(({ value }) => String(value)).join(", ")}</span>
                {later.has(nameOf(one)) ? <small className="quiet">later</small> : null}
              </button>
            </li>
          ))}
        </ol>
        <p className="fig">
          {done.size > 0 ? `${plural(done.size, "row")} decided; ` : ""}
          {told} held in all
        </p>
      </nav>
      {row ? (
        <HeldCase
          key={nameOf(row)}
          plan={plan}
          row={row}
          columns={data.columns[row.step] ?? []}
          onDecide={decide}
          onLater={() => putOff(row)}
        >
          {figures}
        </HeldCase>
      ) : (
        <section className="case">
          <h2>Nothing waits for you here.</h2>
          {figures}
        </section>
      )}
      {row ? (
        <Glosses plan={plan} row={row} others={rows.filter(({ like, key }) => like === row.like && key !== row.key)} onDecide={decide} />
      ) : null}
    </div>
  );
}

/** Figures that move as one decides. */
function refresh(plan: string): void {
  void queries.invalidateQueries({
    predicate: ({ queryKey: [name, input] }) =>
      ["showReview", "readWay", "readReview", "readStanding"].includes(String(name)) && (input as { plan?: string }).plan === plan,
  });
}

import { useEffect, useRef, useState, type FormEvent } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { useKeys } from "../../app/keys.js";
import { queries, server, useReading } from "../../app/server.js";
import { Problem, Reading } from "../../parts/problem.js";
import { ValueField } from "../../parts/value-field.js";
import { plural } from "../../parts/words.js";
import { CheckFigures } from "./check-figures.js";
import { RowText } from "./row-text.js";

type Check = NonNullable<CallReport<"readCheck">>;
type Drawn = Check["rows"][number];
type Told = CallReport<"judgeChecked">;

/** Rows drawn at random, judged before one sees what the model said. */
export function CheckDesk({ plan }: { readonly plan: string }) {
  const { data, error } = useReading("readCheck", { plan, limit: 1 }, { keep: true });
  const [last, setLast] = useState<Told | undefined>();
  const draw = async (rows?: number): Promise<void> => {
    try {
      const drawn = await server.drawCheck({ plan, ...(rows ? { rows } : {}) });
      didAct({ says: `${plural(drawn.rows, "row")} of ${drawn.population} are drawn.` });
      refresh(plan);
    } catch (problem) {
      failed(problem);
    }
  };
  useKeys({ d: () => void draw() });
  if (data === undefined) return error ? <Problem error={error} /> : <Reading what="the random check" />;
  const [row] = data?.rows ?? [];
  return (
    <div className="review">
      <nav className="list" aria-label="The draw">
        <h2>Drawn at random</h2>
        <p className="fig">
          {data ? `${data.judged} looked at, ${data.left} to go, drawn from ${data.population}` : "Nothing is drawn yet."}
        </p>
        <button type="button" className="act" onClick={() => void draw()}>
          {data ? "Draw anew" : "Draw rows"} <b>D</b>
        </button>
        {last ? <Last told={last} /> : null}
      </nav>
      <section className="case" aria-label="The drawn row">
        {row && data ? (
          <Judge key={row.key} plan={plan} check={data} row={row} onTold={setLast} />
        ) : (
          <h2>{data ? "All rows of the draw are looked at." : "Rows are drawn from all that one version and one model answered."}</h2>
        )}
        <CheckFigures plan={plan} />
      </section>
      <aside className="glosses">
        <section>
          <h3>Blind</h3>
          <p>
            You say what is right before you see what the model said, so that it cannot sway you. Of free words you are asked whether they
            are right.
          </p>
        </section>
      </aside>
    </div>
  );
}

function refresh(plan: string): void {
  void queries.invalidateQueries({
    predicate: ({ queryKey: [name, input] }) =>
      ["readCheck", "showReview", "readWay", "readReview"].includes(String(name)) && (input as { plan?: string }).plan === plan,
  });
}

/** What the model had said of the row before. */
const Last = ({ told }: { readonly told: Told }) => (
  <div role="status" className="last">
    <h3>{told.key}</h3>
    {Object.entries(told.columns).map(([column, { value, same }]) => (
      <p key={column}>
        {column}: <span className="ink">{value}</span> <b>{same ? "the same" : "otherwise"}</b>
      </p>
    ))}
    {told.released.length > 0 ? <p>Released: {told.released.join(", ")}.</p> : null}
  </div>
);

interface JudgeProps {
  readonly plan: string;
  readonly check: Check;
  readonly row: Drawn;
  readonly onTold: (told: Told) => void;
}

function Judge({ plan, check, row, onTold }: JudgeProps) {
  const [found, setFound] = useState<Readonly<Record<string, string | boolean>>>({});
  const [problem, setProblem] = useState<unknown>();
  const since = useRef(performance.now());
  const form = useRef<HTMLFormElement>(null);
  useEffect(() => form.current?.querySelector<HTMLElement>("select, input, textarea")?.focus(), []);
  const isWhole = check.columns.every(({ column }) => found[column] !== undefined && found[column] !== "");
  const send = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    try {
      const told = await server.judgeChecked({
        plan,
        step: check.step,
        key: row.key,
        found: { ...found },
        judged: row.judged,
        tookMs: performance.now() - since.current,
      });
      onTold(told);
      const same = Object.values(told.columns).every((one) => one.same);
      didAct({
        says: `${row.key}: ${same ? "the model said the same" : "the model said otherwise"}.`,
        undo: async () => {
          await server.undoDecision({ plan, act: told.act });
          refresh(plan);
        },
      });
      refresh(plan);
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <>
      <RowText keyOf={row.key} row={row.row} reads={row.reads} />
      <form ref={form} className="decide-form" onSubmit={(event) => void send(event)}>
        {check.columns.map((column) =>
          column.freeText ? (
            <fieldset key={column.column}>
              <legend>
                {column.column}: <span className="ink">{String(row.values?.[column.column] ?? "")}</span>
              </legend>
              {[true, false].map((right) => (
                <label key={String(right)} className="inline">
                  <input
                    type="radio"
                    name={column.column}
                    checked={found[column.column] === right}
                    onChange={() => setFound({ ...found, [column.column]: right })}
                  />{" "}
                  {right ? "right" : "wrong"}
                </label>
              ))}
            </fieldset>
          ) : (
            <ValueField
              key={column.column}
              label={`${column.column} should be`}
              takes={column}
              kind={column.options.length === 0 && column.meanings.length > 0 ? "score" : undefined}
              value={String(found[column.column] ?? "")}
              onValue={(value) => setFound({ ...found, [column.column]: value })}
            />
          ),
        )}
        <Problem error={problem} />
        <div className="acts">
          <button type="submit" className="main-act" disabled={!isWhole}>
            That is right <b>Enter</b>
          </button>
        </div>
      </form>
    </>
  );
}

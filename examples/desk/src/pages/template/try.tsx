import { ArrowLeft, ArrowRight } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useDeferredInputs } from "./use-deferred-inputs.js";
import { server, useReading } from "../../app/server.js";
import { Problem, Reading } from "../../parts/problem.js";
import type { Source } from "../../parts/source/use-source.js";
import { PromptView } from "./prompt-view.js";
import { keepTry } from "./tries.js";
import { useRow, type From } from "./use-row.js";

interface Props {
  readonly template: string;
  readonly plan: string | undefined;
  readonly plans: readonly string[];
  readonly step: string | undefined;
  readonly source: Source;
  readonly inputs: readonly string[];
  /** The row that the address names. */
  readonly wanted: string | undefined;
  readonly currency: string;
  readonly onPlan: (plan: string) => void;
  readonly onTried: () => void;
}

/** What is sent for the row in hand, as the template stands at this moment; and the button that sends it. */
export function Try({ template, plan, plans, step, source, inputs, wanted, currency, onPlan, onTried }: Props) {
  const row = useRow(template, plan, step, inputs, wanted);
  const section = useRef<HTMLElement>(null);
  const [problem, setProblem] = useState<unknown>();
  const [isAsking, setAsking] = useState(false);
  const given = useDeferredInputs(row.inputs, inputs);
  const isWhole = source.complaints.length === 0 && source.text !== "";
  const {
    data: prompt,
    error,
    isPlaceholderData,
  } = useReading(
    "showPrompt",
    { of: template, text: source.text, inputs: given ?? {} },
    { enabled: isWhole && given !== undefined, keep: true },
  );
  useEffect(() => {
    if (window.location.hash === "#try") section.current?.focus();
  }, []);
  const ask = async (fresh: boolean): Promise<void> => {
    if (!given) return;
    setAsking(true);
    setProblem(undefined);
    try {
      // What is tried is what stands in the file, so that the try is of a version.
      const text = source.isDirty ? (await source.save())?.text : source.text;
      if (text !== undefined) {
        const answer = await server.tryRow({ of: template, inputs: given, ...(fresh ? { fresh } : {}) });
        keepTry(template, { at: Date.now(), told: row.told, inputs: given, text, answer });
        onTried();
      }
    } catch (fault) {
      setProblem(fault);
    }
    setAsking(false);
  };
  return (
    <section id="try" className="sent-side" ref={section} tabIndex={-1} aria-label="What is sent">
      <h2>
        Sent for {row.told}
        <RowChooser row={row} plan={plan} plans={plans} onPlan={onPlan} />
      </h2>
      <div className="acts">
        <button type="button" className="main-act" disabled={isAsking || !isWhole || !given} onClick={() => void ask(false)}>
          {isAsking ? "Asking …" : source.isDirty ? "Save, and ask" : "Ask"}
        </button>
        <button type="button" className="act" disabled={isAsking || !isWhole || !given} onClick={() => void ask(true)}>
          Ask anew, though it is known
        </button>
      </div>
      <Problem error={problem} />
      {row.from === "typed"
        ? inputs.map((name) => (
            <label key={name} className="typed">
              <small>{name}</small>
              <textarea rows={3} value={row.inputs?.[name] ?? ""} onChange={({ target }) => row.setTyped(name, target.value)} />
            </label>
          ))
        : null}
      <Problem error={row.error ?? (isWhole ? error : undefined)} />
      {isWhole ? null : <p className="quiet">There is no prompt while the template has mistakes; this is the last one.</p>}
      {prompt ? (
        <PromptView prompt={prompt} currency={currency} isOld={isPlaceholderData || !isWhole} />
      ) : row.error || error ? null : (
        <Reading what="the prompt" />
      )}
    </section>
  );
}

const FROMS: Readonly<Record<From, string>> = { row: "a row", sample: "a sample", typed: "typed words" };

function RowChooser({
  row,
  plan,
  plans,
  onPlan,
}: {
  readonly row: ReturnType<typeof useRow>;
  readonly plan: string | undefined;
  readonly plans: readonly string[];
  readonly onPlan: (plan: string) => void;
}) {
  return (
    <span className="row-chooser">
      <select aria-label="What is put in" value={row.from} onChange={({ target }) => row.setFrom(target.value as From)}>
        {Object.entries(FROMS).map(([from, told]) => (
          <option key={from} value={from} disabled={from === "row" && plan === undefined}>
            {told}
          </option>
        ))}
      </select>
      {row.from === "row" && plans.length > 1 ? (
        <select aria-label="Of which plan" value={plan} onChange={({ target }) => onPlan(target.value)}>
          {plans.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      ) : null}
      {row.from === "typed" ? null : (
        <>
          <button type="button" className="icon" aria-label="The row before" disabled={row.place === 0} onClick={() => row.move(-1)}>
            <ArrowLeft size={15} />
          </button>
          <button
            type="button"
            className="icon"
            aria-label="The next row"
            disabled={row.place >= row.count - 1}
            onClick={() => row.move(1)}
          >
            <ArrowRight size={15} />
          </button>
        </>
      )}
    </span>
  );
}

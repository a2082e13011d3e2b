import { Link } from "@tanstack/react-router";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { server, useReading } from "../../app/server.js";
import { EvidenceOf, type Evidence } from "../../parts/evidence.js";
import { Pictures } from "../../parts/pictures.js";
import { money, when } from "../../parts/words.js";
import { AskAgainForm, ChangeForm } from "./cell-forms.js";
import { ROW, type Column, type Row } from "./layout.js";

type Explained = CallReport<"explainRow">["steps"][number];
const QUIET_MS = 120;

interface Props {
  readonly plan: string;
  readonly row: Row;
  /** The column in hand; and the one that is told of where that is not a filled one. */
  readonly column: Column | undefined;
  readonly fallback: Column | undefined;
}

/** The note of the row in hand: what stands, why, where it comes from, who decided, and what can be done about it. */
export function OpenNote({ plan, row, column, fallback }: Props) {
  const told = column?.filled ? column : fallback;
  const [isAsked, setAsked] = useState(false);
  const [form, setForm] = useState<"change" | "again" | undefined>();
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // Who runs down the rows with a key held asks about none of them.
    const timer = setTimeout(() => setAsked(true), QUIET_MS);
    return () => clearTimeout(timer);
  }, []);
  useEffect(() => setForm(undefined), [told?.name]);
  const { data, error } = useReading("explainRow", { plan, key: row.key }, { enabled: isAsked });
  useGrowUp(box, [data, form, told]);
  const step = data?.steps.find(({ columns }) => told !== undefined && columns.includes(told.name));
  const done = (): void => {
    setForm(undefined);
    document.getElementById("table-grid")?.focus();
  };
  if (!told) return <div ref={box} className="open-note" />;
  return (
    <div
      ref={box}
      className="open-note"
      role="group"
      aria-label={`What is known of ${told.name} in ${row.key}`}
      onClick={(event) => event.stopPropagation()}
    >
      <Told row={row} column={told} step={step} />
      {error ? <p className="problem">{error.message}</p> : null}
      {step ? <From plan={plan} step={step} part={told.filled?.part} /> : null}
      {form === "change" ? (
        <ChangeForm plan={plan} row={row} column={told} onDone={done} />
      ) : form === "again" ? (
        <AskAgainForm plan={plan} row={row} column={told} onDone={done} />
      ) : (
        <div className="acts">
          {row.states[told.name]?.state === "held" ? (
            <Link to="/review/$plan" params={{ plan }} search={{ key: row.key }} className="act">
              Review it <b>Enter</b>
            </Link>
          ) : null}
          <button type="button" className="act" data-key="C" onClick={() => setForm("change")}>
            Change <b>C</b>
          </button>
          {step?.answer ? (
            <button type="button" className="act" data-key="Q" onClick={() => setForm("again")}>
              Ask again <b>Q</b>
            </button>
          ) : null}
          {row.states[told.name]?.state === "edited" && step?.answer ? <GiveBack plan={plan} row={row} column={told} /> : null}
        </div>
      )}
    </div>
  );
}

/**
 * The note ends where a row ends, so that the notes that it covers are folded to their signs whole; near the foot of the window it grows
 * upward from its row's lower line.
 */
function useGrowUp(box: React.RefObject<HTMLDivElement | null>, when: readonly unknown[]): void {
  useLayoutEffect(() => {
    const element = box.current;
    const frame = element?.closest(".deck");
    const line = element?.closest<HTMLElement>(".deck-row");
    if (!element || !frame || !line) return;
    element.style.minHeight = "";
    const beyond = element.offsetHeight - line.offsetHeight;
    if (beyond > 0) element.style.minHeight = `${line.offsetHeight + Math.ceil(beyond / ROW) * ROW}px`;
    const rest = frame.getBoundingClientRect().bottom - line.getBoundingClientRect().top;
    const above = line.getBoundingClientRect().bottom - frame.getBoundingClientRect().top;
    // In a short table there is less room above a row than below it, even near the foot.
    element.classList.toggle("up", element.offsetHeight > rest && above > rest);
  }, when);
}

function Told({ row, column, step }: { readonly row: Row; readonly column: Column; readonly step: Explained | undefined }) {
  const stands = row.states[column.name];
  const state = stands?.state ?? "filled";
  const at = step?.record?.decided?.[column.name];
  const meaning = column.filled?.takes?.meanings.find(({ name }) => name === (stands?.held ?? ""))?.about;
  return (
    <>
      <h2>
        {column.name}: {state === "filled" ? "as answered" : state}
      </h2>
      {stands?.reason ? <p>{stands.reason}</p> : null}
      {meaning ? <p className="quiet">{meaning}</p> : null}
      {state === "edited" ? (
        <p>
          {stands?.by?.person ? `Changed by ${stands.by.person}` : "Changed by hand"}
          {stands?.by?.reason ? `: “${stands.by.reason}”` : ""}
          {step?.record?.values[column.name] === undefined || at ? "" : `; the model had said ${String(step.record.values[column.name])}`}
        </p>
      ) : null}
      {at && state !== "edited" ? (
        <p>
          {{ accept: "Accepted", edit: "Changed", reject: "Rejected" }[at.how]} by {at.by}, {when(at.at)}
          {at.reason ? `: “${at.reason}”` : ""}
        </p>
      ) : null}
      {step?.reason && state === "filled" ? <p>{step.reason}</p> : null}
    </>
  );
}

/** What else the answer says, and where it comes from. */
function From({ plan, step, part }: { readonly plan: string; readonly step: Explained; readonly part: string | undefined }) {
  const { answer, record } = step;
  if (!answer) return null;
  const filled = new Set(Object.values(record?.values ?? {}).map(String));
  const rest = Object.entries(answer.answer.parts ?? {}).filter(([, value]) => typeof value === "string" && !filled.has(value));
  return (
    <>
      {rest.map(([part, value]) => (
        <p key={part}>
          <i>{part}</i> <span className="ink">{String(value)}</span>
        </p>
      ))}
      {answer.answer.seen?.some(({ pictures }) => pictures) ? <Pictures plan={plan} rowKey={step.key} column={step.columns[0]} /> : null}
      {evidenceFirst(answer.answer.evidence, part).map((one) => (
        <EvidenceOf key={one.part} evidence={one} />
      ))}
      {record?.notes?.map((note) => (
        <p key={note} className="quiet">
          {note}
        </p>
      ))}
      {step.decisions
        .filter(({ undone }) => !undone)
        .slice(-3)
        .map(({ act, column, how, by, at, value, given }) => (
          <small key={`${act} ${column}`}>
            {by}: {column} {how === "edit" ? `${String(value ?? "(blank)")} made ${String(given ?? "")}` : HOWS[how]}, {when(at)}
          </small>
        ))}
      <small>
        {answer.template} version {answer.version}, {answer.model}, {when(answer.at)}
        {answer.answer.asks > 1 ? `, ${answer.answer.asks} asks` : ""}
        {answer.answer.spent > 0 ? `, ${money(answer.answer.spent, "").trim()}` : ""}
      </small>
    </>
  );
}

/** That of the column in hand comes first. */
const evidenceFirst = (all: readonly Evidence[] = [], part: string | undefined): Evidence[] => {
  const own = part?.split(".")[0];
  return [...all.filter((one) => one.part === own), ...all.filter((one) => one.part !== own)];
};

const HOWS = {
  accept: "accepted",
  edit: "made",
  reject: "rejected",
  askAgain: "to be asked again",
  setBack: "set back",
  letStand: "let stand",
} as const;

function GiveBack({ plan, row, column }: Omit<Props, "fallback" | "column"> & { readonly column: Column }) {
  const give = async (): Promise<void> => {
    try {
      const { act, value } = await server.restoreCell({ plan, key: row.key, column: column.name });
      didAct({
        says: `${column.name} of ${row.key} has the model's value again: ${String(value)}.`,
        undo: async () => void (await server.undoDecision({ plan, act })),
      });
    } catch (error) {
      failed(error);
    }
  };
  return (
    <button type="button" className="act" onClick={() => void give()}>
      The model's value
    </button>
  );
}

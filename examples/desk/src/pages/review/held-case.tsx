import { useState, type ReactNode } from "react";
import type { CallReport } from "yoroshi/client";
import { useKeys } from "../../app/keys.js";
import { Mark } from "../../parts/mark.js";
import { ValueField } from "../../parts/value-field.js";
import { RowText } from "./row-text.js";
import type { ReviewRow, Verdicts } from "./held-desk.js";

type ColumnTold = CallReport<"readReview">["columns"][string][number];
type Form = "change" | "reject" | "again";

interface Props {
  readonly plan: string;
  readonly row: ReviewRow;
  readonly columns: readonly ColumnTold[];
  readonly onDecide: (row: ReviewRow, columns: Verdicts, says: string) => Promise<void>;
  readonly onLater: () => void;
  readonly children: ReactNode;
}

/** One row: its text, the values that wait, and a key for each decision. */
export function HeldCase({ row, columns, onDecide, onLater, children }: Props) {
  const [form, setForm] = useState<Form | undefined>();
  const [isSending, setSending] = useState(false);
  const all = (verdict: Verdicts[string]): Verdicts => Object.fromEntries(row.values.map(({ column }) => [column, verdict]));
  const send = async (verdicts: Verdicts, says: string): Promise<void> => {
    setSending(true);
    await onDecide(row, verdicts, says);
    setSending(false);
  };
  const accept = (): void => void send(all({ how: "accept" }), "accepted");
  useKeys(
    { a: accept, c: () => setForm("change"), r: () => setForm("reject"), q: () => setForm("again") },
    !isSending && form === undefined,
  );
  const { reads } = row;
  return (
    <section className="case" aria-label={`${row.key}: what waits`}>
      <RowText keyOf={row.key} row={row.row} reads={reads} />
      <table className="prop">
        <thead>
          <tr>
            <th scope="col">column</th>
            <th scope="col">proposed</th>
            <th scope="col">stands in the table</th>
          </tr>
        </thead>
        <tbody>
          {row.values.map(({ column, value, stands, said, earlier }) => {
            const about = columns.find((one) => one.column === column)?.meanings.find(({ name }) => name === String(value))?.about;
            return (
              <tr key={column}>
                <th scope="row">{column}</th>
                <td className="held">
                  <Mark state="held" />
                  <span className="v">{String(value)}</span> {about ? <small className="quiet">{about}</small> : null}
                </td>
                <td>
                  {stands === undefined ? "" : String(stands)}
                  {said.map((one) => (
                    <small key={one.act}>
                      {one.by} said {one.how === "edit" ? String(one.value) : one.how}
                    </small>
                  ))}
                  {earlier.slice(0, 1).map((one) => (
                    <small key={one.act}>
                      before, {one.by}: {one.how}
                      {one.how === "edit" ? ` to ${String(one.given)}` : ""}
                    </small>
                  ))}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {form === undefined ? (
        <div className="verbs" role="group" aria-label="Decide">
          <Verb word="accept" keyed="A" about="as proposed" onDo={accept} disabled={isSending} />
          <Verb word="change" keyed="C" about="give your own" onDo={() => setForm("change")} />
          <Verb word="reject" keyed="R" about="leave it blank" onDo={() => setForm("reject")} />
          <Verb word="ask again" keyed="Q" about="with your remark" onDo={() => setForm("again")} />
          <Verb word="later" keyed="L" about="next row" isSoft onDo={onLater} />
        </div>
      ) : form === "change" ? (
        <Change row={row} columns={columns} onLeave={() => setForm(undefined)} onSend={send} />
      ) : (
        <Say
          label={form === "reject" ? "Why it is wrong (may be left out)" : "What the model should know"}
          act={form === "reject" ? "Reject" : "Ask again at the next fill"}
          isNeeded={form === "again"}
          onLeave={() => setForm(undefined)}
          onSay={(words) =>
            form === "reject"
              ? send(all({ how: "reject", ...(words ? { reason: words } : {}) }), "rejected")
              : send(all({ how: "askAgain", says: words }), "to be asked again")
          }
        />
      )}
      {children}
    </section>
  );
}

interface VerbProps {
  readonly word: string;
  readonly keyed: string;
  readonly about: string;
  readonly isSoft?: boolean;
  readonly disabled?: boolean;
  readonly onDo: () => void;
}

const Verb = ({ word, keyed, about, isSoft = false, disabled = false, onDo }: VerbProps) => (
  <button type="button" className={isSoft ? "soft" : undefined} disabled={disabled} onClick={onDo}>
    <b>{word}</b> <kbd>{keyed}</kbd>
    <small>{about}</small>
  </button>
);

interface FormProps {
  readonly onLeave: () => void;
}

/** A person's own values; those that are left as proposed are accepted. */
function Change({
  row,
  columns,
  onLeave,
  onSend,
}: FormProps & {
  readonly row: ReviewRow;
  readonly columns: readonly ColumnTold[];
  readonly onSend: (verdicts: Verdicts, says: string) => Promise<void>;
}) {
  const [values, setValues] = useState<Readonly<Record<string, string>>>(() =>
    Object.fromEntries(row.values.map(({ column, value }) => [column, String(value)])),
  );
  const [reason, setReason] = useState("");
  const send = (): void => {
    const why = reason.trim() ? { reason: reason.trim() } : {};
    const changed = row.values.filter(({ column, value }) => values[column] !== String(value));
    const verdicts: Verdicts = Object.fromEntries(
      row.values.map(({ column, value }) => {
        const own = values[column]!;
        if (own === String(value)) return [column, { how: "accept" as const }];
        return [column, own === "" ? { how: "reject" as const, ...why } : { how: "edit" as const, value: own, ...why }];
      }),
    );
    void onSend(
      verdicts,
      changed.length > 0 ? changed.map(({ column }) => `${column} is ${values[column] || "blank"}`).join(", ") : "accepted",
    );
  };
  return (
    <form
      className="decide-form"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        onLeave();
      }}
    >
      {row.values.map(({ column }, index) => {
        const takes = columns.find((one) => one.column === column);
        const isScore = takes !== undefined && takes.options.length === 0 && takes.meanings.length > 0;
        return (
          <ValueField
            key={column}
            autoFocus={index === 0}
            label={column}
            takes={takes}
            kind={isScore ? "score" : takes?.freeText ? "text" : undefined}
            value={values[column] ?? ""}
            onValue={(value) => setValues({ ...values, [column]: value })}
          />
        );
      })}
      <label>
        because (may be left out)
        <input value={reason} onChange={({ target }) => setReason(target.value)} />
      </label>
      <FormActs act="Keep" onLeave={onLeave} />
    </form>
  );
}

function Say({
  label,
  act,
  isNeeded,
  onLeave,
  onSay,
}: FormProps & {
  readonly label: string;
  readonly act: string;
  readonly isNeeded: boolean;
  readonly onSay: (words: string) => Promise<void>;
}) {
  const [words, setWords] = useState("");
  return (
    <form
      className="decide-form"
      onSubmit={(event) => {
        event.preventDefault();
        void onSay(words.trim());
      }}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        onLeave();
      }}
    >
      <label>
        {label}
        <input autoFocus required={isNeeded} value={words} onChange={({ target }) => setWords(target.value)} />
      </label>
      <FormActs act={act} onLeave={onLeave} />
    </form>
  );
}

const FormActs = ({ act, onLeave }: FormProps & { readonly act: string }) => (
  <div className="acts">
    <button type="submit" className="act">
      {act} <b>Enter</b>
    </button>
    <button type="button" className="act" onClick={onLeave}>
      Leave it <b>Esc</b>
    </button>
  </div>
);

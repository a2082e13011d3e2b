import { useState, type FormEvent, type ReactNode } from "react";
import { didAct } from "../../app/acts.js";
import { server } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { ValueField } from "../../parts/value-field.js";
import type { Column, Row } from "./layout.js";

interface Props {
  readonly plan: string;
  readonly row: Row;
  readonly column: Column;
  readonly onDone: () => void;
}

function Form({
  children,
  act,
  onSend,
  onDone,
}: {
  readonly children: ReactNode;
  readonly act: string;
  readonly onSend: () => Promise<void>;
  readonly onDone: () => void;
}) {
  const [error, setError] = useState<unknown>();
  const [isSending, setSending] = useState(false);
  const send = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    setSending(true);
    try {
      await onSend();
      onDone();
    } catch (problem) {
      setError(problem);
      setSending(false);
    }
  };
  return (
    <form
      className="cell-form"
      onSubmit={(event) => void send(event)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") onDone();
      }}
    >
      {children}
      <Problem error={error} />
      <div className="acts">
        <button type="submit" className="act" disabled={isSending}>
          {act} <b>Enter</b>
        </button>
        <button type="button" className="act" onClick={onDone}>
          Leave it <b>Esc</b>
        </button>
      </div>
    </form>
  );
}

/** A person's value for a cell, given as its kind wants it. */
export function ChangeForm({ plan, row, column, onDone }: Props) {
  const stands = row.states[column.name]?.held;
  const [value, setValue] = useState(stands ?? "");
  const [reason, setReason] = useState("");
  const save = async (): Promise<void> => {
    const { act } = await server.changeCell({ plan, key: row.key, column: column.name, value, ...(reason.trim() ? { reason } : {}) });
    didAct({
      says: value === "" ? `${column.name} of ${row.key} is blank now.` : `${column.name} of ${row.key} is ${value} now.`,
      undo: async () => void (await server.undoDecision({ plan, act })),
    });
  };
  return (
    <Form act="Keep" onSend={save} onDone={onDone}>
      <ValueField
        label={`${column.name} is`}
        takes={column.filled?.takes}
        kind={column.filled?.kind}
        value={value}
        onValue={setValue}
        autoFocus
      />
      <label>
        because (may be left out)
        <input value={reason} onChange={({ target }) => setReason(target.value)} />
      </label>
    </Form>
  );
}

/** What is told the model when it is asked again. */
export function AskAgainForm({ plan, row, column, onDone }: Props) {
  const [says, setSays] = useState("");
  const ask = async (): Promise<void> => {
    await server.askCellAgain({ plan, key: row.key, column: column.name, says });
    await server.fillPlan({ plan, only: [row.key], rows: 1 });
    didAct({ says: `${row.key} is asked again.` });
  };
  return (
    <Form act="Ask now" onSend={ask} onDone={onDone}>
      <label>
        What the model should know
        <textarea autoFocus required rows={3} value={says} onChange={({ target }) => setSays(target.value)} />
      </label>
    </Form>
  );
}

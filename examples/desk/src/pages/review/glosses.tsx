import { EvidenceOf } from "../../parts/evidence.js";
import { Pictures } from "../../parts/pictures.js";
import { plural, when } from "../../parts/words.js";
import { useReading } from "../../app/server.js";
import type { ReviewRow, Verdicts } from "./held-desk.js";

interface Props {
  readonly plan: string;
  readonly row: ReviewRow;
  /** Others in the list that say the same. */
  readonly others: readonly ReviewRow[];
  readonly onDecide: (row: ReviewRow, columns: Verdicts, says: string) => Promise<void>;
}

/** What is known of the row in hand: why it is held, what else the answer says, where it comes from, rows like it. */
export function Glosses({ plan, row, others, onDecide }: Props) {
  const { data } = useReading("explainRow", { plan, key: row.key });
  const answer = data?.steps.find(({ step }) => step === row.step)?.answer;
  const held = new Set(row.values.map(({ value }) => String(value)));
  const rest = Object.entries(answer?.answer.parts ?? {}).filter(([, value]) => typeof value === "string" && !held.has(value));
  const acceptAll = async (): Promise<void> => {
    for (const one of [row, ...others])
      await onDecide(one, Object.fromEntries(one.values.map(({ column }) => [column, { how: "accept" as const }])), "accepted");
  };
  return (
    <aside className="glosses" aria-label={`What is known of ${row.key}`}>
      <section>
        <h3>Why it is held</h3>
        <p>{row.why}</p>
        <p className="quiet">since {when(row.since)}</p>
      </section>
      {rest.length > 0 || Object.keys(row.besides).length > 0 ? (
        <section>
          <h3>What else the answer says</h3>
          {rest.map(([part, value]) => (
            <p key={part}>
              <i>{part}</i> <span className="ink">{String(value)}</span>
            </p>
          ))}
          {Object.entries(row.besides).map(([column, value]) => (
            <p key={column}>
              <i>{column}</i> <span className="ink">{String(value)}</span>
            </p>
          ))}
        </section>
      ) : null}
      {answer?.answer.evidence ? (
        <section>
          <h3>The words that carry it</h3>
          {answer.answer.evidence.map((one) => (
            <EvidenceOf key={one.part} evidence={one} />
          ))}
        </section>
      ) : null}
      {answer?.answer.seen?.some(({ pictures }) => pictures) ? (
        <section>
          <h3>What was shown</h3>
          <Pictures plan={plan} rowKey={row.key} column={row.values[0]?.column} />
        </section>
      ) : null}
      {row.notes.length > 0 ? (
        <section>
          <h3>How it came about</h3>
          {row.notes.map((note) => (
            <p key={note}>{note}</p>
          ))}
        </section>
      ) : null}
      {others.length > 0 ? (
        <section>
          <h3>Rows that say the same</h3>
          <p>
            {plural(others.length, "other row")} of this list:{" "}
            {others
              .slice(0, 6)
              .map(({ key }) => key)
              .join(", ")}
            {others.length > 6 ? " …" : ""}
          </p>
          <button type="button" className="act" onClick={() => void acceptAll()}>
            Accept all {others.length + 1}
          </button>
        </section>
      ) : null}
      <p className="fig quiet">
        {answer
          ? `${answer.template} version ${answer.version}, ${answer.model}, ${when(answer.at)}`
          : `${row.model ?? ""}${row.version ? `, version ${row.version}` : ""}`}
      </p>
    </aside>
  );
}

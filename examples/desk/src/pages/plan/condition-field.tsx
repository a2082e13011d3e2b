import { X } from "lucide-react";
import { useId, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { celOf, OPS, piecesOf, takesValue, type Op, type Piece } from "./condition.js";

type Column = CallReport<"readRows">["columns"][number];
const TYPED = new Set(["number", "score", "yesNo"]);

interface Props {
  readonly label: string;
  readonly value: string;
  readonly plan: string;
  readonly columns: readonly Column[];
  readonly onValue: (cel: string) => void;
}

/** A condition, built by choosing and shown as CEL; one that says more than can be chosen is written. */
export function ConditionField({ label, value, plan, columns, onValue }: Props) {
  const [isWriting, setWriting] = useState(false);
  const [open, setOpen] = useState<readonly Piece[] | undefined>();
  const isTyped = (name: string): boolean => TYPED.has(columns.find((one) => one.name === name)?.filled?.kind ?? "");
  // What is being chosen and says nothing yet is kept here; all else is read from the condition itself.
  const pieces = open ?? piecesOf(value);
  const set = (next: readonly Piece[]): void => {
    const whole = next.filter((piece) => piece.column !== "" && (!takesValue(piece.op) || piece.value !== ""));
    setOpen(whole.length === next.length ? undefined : next);
    onValue(celOf(whole, isTyped));
  };
  return (
    <fieldset className="condition facet whole">
      <legend>{label}</legend>
      {isWriting || pieces === undefined ? (
        <input aria-label={`${label}, as CEL`} className="cel" value={value} onChange={({ target }) => onValue(target.value)} />
      ) : (
        <>
          {pieces.map((piece, index) => (
            // Pieces may say the same.
            <PieceField
              key={index}
              piece={piece}
              plan={plan}
              columns={columns}
              onPiece={(next) => set(pieces.map((one, at) => (at === index ? next : one)))}
              onRemove={() => set(pieces.filter((_, at) => at !== index))}
            />
          ))}
          <button
            type="button"
            className="quiet-act"
            onClick={() => setOpen([...pieces, { column: columns[0]?.name ?? "", op: "is", value: "" }])}
          >
            {pieces.length === 0 ? "only rows where …" : "and …"}
          </button>
        </>
      )}
      <div className="cel-line">
        {value === "" || isWriting || pieces === undefined ? null : <code>{value}</code>}
        <button
          type="button"
          className="quiet-act"
          aria-pressed={isWriting}
          onClick={() => {
            setWriting(!isWriting);
            setOpen(undefined);
          }}
        >
          {isWriting ? "choose it" : pieces === undefined ? "" : "write it as CEL"}
        </button>
      </div>
    </fieldset>
  );
}

function PieceField({
  piece,
  plan,
  columns,
  onPiece,
  onRemove,
}: {
  readonly piece: Piece;
  readonly plan: string;
  readonly columns: readonly Column[];
  readonly onPiece: (piece: Piece) => void;
  readonly onRemove: () => void;
}) {
  const list = useId();
  const { data } = useReading("readColumn", { plan, column: piece.column }, { enabled: columns.some(({ name }) => name === piece.column) });
  return (
    <div className="piece">
      <select aria-label="Column" value={piece.column} onChange={({ target }) => onPiece({ ...piece, column: target.value, value: "" })}>
        {columns.some(({ name }) => name === piece.column) ? null : <option>{piece.column}</option>}
        {columns.map(({ name }) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      <select aria-label="How" value={piece.op} onChange={({ target }) => onPiece({ ...piece, op: target.value as Op })}>
        {Object.entries(OPS).map(([op, told]) => (
          <option key={op} value={op}>
            {told}
          </option>
        ))}
      </select>
      {takesValue(piece.op) ? (
        <>
          <input aria-label="Value" list={list} value={piece.value} onChange={({ target }) => onPiece({ ...piece, value: target.value })} />
          <datalist id={list}>
            {data?.bins.map(({ value }) => (
              <option key={value} value={value} />
            ))}
          </datalist>
        </>
      ) : null}
      <button type="button" className="remove" aria-label="Take this condition away" onClick={onRemove}>
        <X size={13} aria-hidden="true" />
      </button>
    </div>
  );
}

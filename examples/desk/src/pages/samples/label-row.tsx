import { useEffect, useMemo, useRef, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { useKeys } from "../../app/keys.js";
import { queries, server } from "../../app/server.js";

type Sheet = CallReport<"readLabels">;
type Part = Sheet["parts"][number];

interface Props {
  readonly sheet: Sheet;
  readonly template: string;
  readonly person: string;
}

/** What each option of a part is chosen by: digits, then letters that nothing else uses. */
const KEYS = "123456789bdefghijkmnopqrstuvwxy";

/** The points or options of a part; words have none. */
const choicesOf = ({ options, meanings }: Part): string[] => (options.length > 0 ? [...options] : meanings.map(({ name }) => name));

/** One sample, blind: its words, and the parts that want a right value. Keys choose; the next part, then the next row, follow. */
export function LabelRow({ sheet, template, person }: Props) {
  const { rows, parts, file } = sheet;
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      rows.findIndex(({ open }) => open),
    ),
  );
  const [partAt, setPartAt] = useState(0);
  const since = useRef(performance.now());
  const row = rows[Math.min(at, rows.length - 1)]!;
  const part = parts[partAt] ?? parts[0]!;
  useEffect(() => {
    since.current = performance.now();
    setPartAt(
      Math.max(
        0,
        parts.findIndex(({ name }) => !row.labels[name]),
      ),
    );
    // A new row begins with its first open part.
  }, [row.row]);
  const go = (next: number): void => setAt(Math.min(Math.max(0, next), rows.length - 1));
  const give = async (name: string, value: string): Promise<void> => {
    const before = row.labels[name] ?? "";
    const asked = { file, template, row: row.row, ...(person ? { person } : {}) };
    try {
      const { unfit } = await server.labelRow({
        ...asked,
        mark: row.mark,
        values: { [name]: value },
        tookMs: performance.now() - since.current,
      });
      since.current = performance.now();
      if (unfit.length > 0) return void failed(new Error(`“${value}” is no value of ${name}.`));
      await queries.invalidateQueries({ queryKey: ["readLabels"] });
      didAct({
        says: `Row ${row.row}: ${name} is ${value || "open"}.`,
        undo: async () => {
          await server.labelRow({ ...asked, values: { [name]: before } });
          await queries.invalidateQueries({ queryKey: ["readLabels"] });
          setAt(rows.indexOf(row));
        },
      });
      const next = parts.findIndex((one, index) => index > partAt && !row.labels[one.name]);
      if (next >= 0) setPartAt(next);
      else if (value !== "") {
        const open = rows.findIndex((one, index) => index > at && one.open);
        go(open >= 0 ? open : at + 1);
      }
    } catch (problem) {
      failed(problem);
    }
  };
  const choices = choicesOf(part);
  const keys = useMemo(() => new Map(choices.map((name, index) => [KEYS[index] ?? "", name])), [choices.join("\n")]);
  useKeys({
    ArrowRight: () => go(at + 1),
    ArrowLeft: () => go(at - 1),
    ArrowDown: () => setPartAt(Math.min(partAt + 1, parts.length - 1)),
    ArrowUp: () => setPartAt(Math.max(partAt - 1, 0)),
    ...Object.fromEntries([...keys].map(([key, name]) => [key, () => void give(part.name, name)])),
    0: () => void give(part.name, ""),
  });
  const done = rows.length - sheet.open;
  return (
    <section className="label-row" aria-label={`Sample ${row.row}`}>
      <p className="fig">
        <b>
          {at + 1} of {rows.length}
        </b>
        , {done} labelled{Object.values(row.context).length > 0 ? `; ${Object.values(row.context).filter(Boolean).join(", ")}` : ""}
        <progress value={done} max={rows.length} aria-label="Labelled" />
      </p>
      {Object.entries(row.inputs).map(([name, value]) => (
        <blockquote key={name} className={value.length > 320 ? "long" : undefined} aria-label={name}>
          {value}
        </blockquote>
      ))}
      <details className="task">
        <summary>what the model is asked</summary>
        <p>{sheet.task}</p>
      </details>
      {parts.map((one, index) => (
        <PartChoice
          key={one.name}
          part={one}
          isHere={index === partAt}
          value={row.labels[one.name] ?? ""}
          onHere={() => setPartAt(index)}
          onValue={(value) => void give(one.name, value)}
        />
      ))}
      <div className="acts">
        <button type="button" className="act" disabled={at === 0} onClick={() => go(at - 1)}>
          Before <b>←</b>
        </button>
        <button type="button" className="act" disabled={at >= rows.length - 1} onClick={() => go(at + 1)}>
          Next <b>→</b>
        </button>
        <small className="quiet">a key chooses, 0 takes the label away, ↑ ↓ go to another part, Z undoes</small>
      </div>
    </section>
  );
}

interface PartProps {
  readonly part: Part;
  readonly isHere: boolean;
  readonly value: string;
  readonly onHere: () => void;
  readonly onValue: (value: string) => void;
}

function PartChoice({ part, isHere, value, onHere, onValue }: PartProps) {
  const choices = choicesOf(part);
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  if (choices.length === 0)
    return (
      <form
        className="part-choice"
        onFocus={onHere}
        onSubmit={(event) => {
          event.preventDefault();
          onValue(text.trim());
        }}
      >
        <label>
          <b className="fig">{part.name}</b> <small className="quiet">{part.told}</small>
          <input value={text} onChange={({ target }) => setText(target.value)} />
        </label>
        <button type="submit" className="act">
          Keep <b>Enter</b>
        </button>
      </form>
    );
  return (
    <fieldset className={isHere ? "part-choice here" : "part-choice"} onClick={onHere}>
      <legend>
        {part.name} {value ? <span className="given">{value}</span> : <span className="quiet">open</span>}
      </legend>
      <div className="choices">
        {choices.map((name, index) => (
          <button key={name} type="button" aria-pressed={value === name} onClick={() => onValue(value === name ? "" : name)}>
            {isHere && KEYS[index] ? <kbd>{KEYS[index]}</kbd> : null} {name}
            {part.options.length === 0 ? <small className="quiet"> {part.meanings.find((one) => one.name === name)?.about}</small> : null}
          </button>
        ))}
      </div>
    </fieldset>
  );
}

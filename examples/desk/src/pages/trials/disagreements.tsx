import { useState, type ReactNode } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { ValueField } from "../../parts/value-field.js";
import { plural } from "../../parts/words.js";
import type { Cell } from "./confusion.js";

type Trial = CallReport<"readTrial">["trial"];
type Disagreement = Trial["disagreements"][number];

const SHOWN = 40;

interface Props {
  readonly template: string;
  readonly trial: Trial;
  readonly part: Trial["parts"][number];
  readonly cell: Cell | undefined;
  readonly onAll: () => void;
}

/** Rows that were answered otherwise, with both values and the reason: correct the label, or take the row in as an example. */
export function Disagreements({ template, trial, part, cell, onAll }: Props) {
  const [most, setMost] = useState(SHOWN);
  const all = trial.disagreements.filter(
    (one) => one.part === part.part && (!cell || (one.truth === cell.truth && one.answer === cell.answer)),
  );
  return (
    <section className="wrong">
      <h2>
        Where it still goes wrong{" "}
        {cell ? (
          <button type="button" className="act" onClick={onAll}>
            {cell.truth} answered {cell.answer}: {plural(all.length, "row")}. Show all
          </button>
        ) : (
          <small className="quiet">
            {plural(all.length, "row")} of {part.graded}
          </small>
        )}
      </h2>
      {cell && cell.truth === cell.answer ? <p className="quiet">These rows were answered as they are labelled.</p> : null}
      <ol>
        {all.slice(0, most).map((one) => (
          <li key={`${one.id} ${one.place}`}>
            <Row template={template} file={trial.file} one={one} />
          </li>
        ))}
      </ol>
      {all.length > most ? (
        <button type="button" className="act" onClick={() => setMost(most + SHOWN)}>
          {all.length - most} more
        </button>
      ) : null}
    </section>
  );
}

function Row({ template, file, one }: { readonly template: string; readonly file: string; readonly one: Disagreement }) {
  const [form, setForm] = useState<"correct" | "example" | undefined>();
  const toggle = (what: "correct" | "example"): void => setForm(form === what ? undefined : what);
  return (
    <article>
      <p className="line">
        <small className="quiet">{one.id}</small> <b>{one.truth}</b> <span className="quiet">answered</span>{" "}
        <span className="ink">{one.answer ?? "(no answer)"}</span>
        {one.why ? <i> “{one.why}”</i> : null}
      </p>
      {Object.entries(one.inputs).map(([name, value]) => (
        <p key={name} className="input">
          {value}
        </p>
      ))}
      <div className="acts">
        {one.row === undefined ? null : (
          <button type="button" className="quiet-act" aria-expanded={form === "correct"} onClick={() => toggle("correct")}>
            correct the label
          </button>
        )}
        {Object.keys(one.inputs).length > 0 ? (
          <button type="button" className="quiet-act" aria-expanded={form === "example"} onClick={() => toggle("example")}>
            take it into the template as an example
          </button>
        ) : null}
      </div>
      {form === "correct" && one.row !== undefined ? (
        <Correct file={file} template={template} one={one} row={one.row} onDone={() => setForm(undefined)} />
      ) : form === "example" ? (
        <TakeIn file={file} template={template} one={one} onDone={() => setForm(undefined)} />
      ) : null}
    </article>
  );
}

/** The whole right answer of a row, which then goes into the template before each row; it is graded no more from then on. */
function TakeIn({
  template,
  file,
  one,
  onDone,
}: {
  readonly template: string;
  readonly file: string;
  readonly one: Disagreement;
  readonly onDone: () => void;
}) {
  const { data: sheet } = useReading("readLabels", { file, template });
  const { data: shown } = useReading("showTemplate", { template });
  const labels = sheet?.rows.find(({ row }) => row === one.row)?.labels ?? {};
  const [given, setGiven] = useState<Readonly<Record<string, string>>>({});
  const [problem, setProblem] = useState<unknown>();
  const parts = shown?.parts ?? [];
  /** What is labelled; of words without a label what the model gave, to be made right. */
  const valueOf = (part: string): string =>
    given[part] ??
    (part === one.part ? one.truth : (labels[part] ?? (sheet?.parts.some(({ name }) => name === part) ? "" : (one.why ?? ""))));
  const save = async (): Promise<void> => {
    try {
      const { text } = await server.readTemplateSource({ name: template });
      const saved = await server.addExample({
        template,
        inputs: one.inputs,
        answer: Object.fromEntries(parts.map(({ name }) => [name, valueOf(name)])),
      });
      await queries.invalidateQueries();
      didAct({
        says: `${one.id} is an example of ${template} now; it is graded no more.`,
        undo: async () => {
          await server.saveTemplateSource({ name: template, text, was: saved.mark, withMistakes: true });
          await queries.invalidateQueries();
        },
      });
      onDone();
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <RowForm act="Take it in" problem={problem} onSave={save} onLeave={onDone}>
      {parts.map(({ name, kind }, index) => (
        <ValueField
          key={name}
          autoFocus={index === 0}
          label={name}
          takes={sheet?.parts.find((part) => part.name === name)}
          kind={kind}
          value={valueOf(name)}
          onValue={(value) => setGiven({ ...given, [name]: value })}
        />
      ))}
    </RowForm>
  );
}

function Correct({
  file,
  template,
  one,
  row,
  onDone,
}: {
  readonly file: string;
  readonly template: string;
  readonly one: Disagreement;
  readonly row: number;
  readonly onDone: () => void;
}) {
  const { data: sheet } = useReading("readLabels", { file, template });
  const [value, setValue] = useState(one.answer ?? "");
  const [problem, setProblem] = useState<unknown>();
  const takes = sheet?.parts.find(({ name }) => name === one.part);
  const save = async (): Promise<void> => {
    try {
      const put = (label: string) =>
        server.labelRow({ file, template, row, ...(one.mark ? { mark: one.mark } : {}), values: { [one.part]: label } });
      const { unfit } = await put(value);
      if (unfit.length > 0) throw new Error(`“${value}” is no value of ${one.part}.`);
      await queries.invalidateQueries({ queryKey: ["readLabels"] });
      didAct({ says: `${one.id} is labelled ${value} now; the next trial grades by it.`, undo: async () => void (await put(one.truth)) });
      onDone();
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <RowForm act="Keep" problem={problem} onSave={save} onLeave={onDone}>
      <ValueField
        autoFocus
        label={`${one.part} is right as`}
        takes={takes}
        kind={takes && takes.options.length === 0 && takes.meanings.length > 0 ? "score" : undefined}
        value={value}
        onValue={setValue}
      />
    </RowForm>
  );
}

/** A small form beside a row. */
function RowForm({
  act,
  problem,
  children,
  onSave,
  onLeave,
}: {
  readonly act: string;
  readonly problem: unknown;
  readonly children: ReactNode;
  readonly onSave: () => Promise<void>;
  readonly onLeave: () => void;
}) {
  return (
    <form
      className="decide-form"
      onSubmit={(event) => {
        event.preventDefault();
        void onSave();
      }}
    >
      {children}
      <Problem error={problem} />
      <div className="acts">
        <button type="submit" className="act">
          {act} <b>Enter</b>
        </button>
        <button type="button" className="act" onClick={onLeave}>
          Leave it
        </button>
      </div>
    </form>
  );
}

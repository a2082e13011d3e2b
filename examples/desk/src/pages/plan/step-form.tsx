import { Link } from "@tanstack/react-router";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { RemarksAt } from "../../parts/source/remarks.js";
import type { Json, Source } from "../../parts/source/use-source.js";
import { ConditionField } from "./condition-field.js";

type Map = Readonly<Record<string, Json>>;
type Column = CallReport<"readRows">["columns"][number];

interface Props {
  readonly source: Source;
  readonly name: string;
  readonly step: Map;
  readonly plan: string;
  readonly templates: readonly string[];
  readonly columns: readonly Column[];
  readonly onUp: (() => void) | undefined;
  readonly onDown: (() => void) | undefined;
  readonly onRemove: () => void;
}

/** One step: the template that it asks, columns to inputs, parts to columns, when; or plain columns without a model. */
export function StepForm({ source, name, step, plan, templates, columns, onUp, onDown, onRemove }: Props) {
  const template = typeof step["template"] === "string" ? step["template"] : undefined;
  const fills = Object.keys((step["fill"] ?? step["set"] ?? {}) as object);
  const set = (key: string, value: Json | undefined): void => source.setAt(["steps", name, key], value);
  const inquire = step["inquire"] as Map | undefined;
  return (
    <details>
      <summary>
        <b className="fig">{name}</b> <i>{template ?? (inquire ? `questions to ${String(inquire["of"] ?? "")}` : "plain columns")}</i>{" "}
        <span>fills {fills.join(", ")}</span>
      </summary>
      {inquire ? (
        <Inquire value={inquire} columns={columns} onValue={(value) => set("inquire", value)} />
      ) : template === undefined ? (
        <PlainColumns value={(step["set"] ?? {}) as Map} onValue={(value) => set("set", value)} />
      ) : (
        <>
          <div className="kind-form">
            <label className="facet">
              template
              <select value={template} onChange={({ target }) => set("template", target.value)}>
                {templates.includes(template) ? null : <option>{template}</option>}
                {templates.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            </label>
            <label className="facet">
              version
              <select
                value={String(step["version"] ?? "")}
                onChange={({ target }) =>
                  set("version", target.value === "" ? undefined : target.value === "approved" ? "approved" : Number(target.value))
                }
              >
                <option value="">today's file</option>
                <option value="approved">the approved one</option>
                {typeof step["version"] === "number" ? <option value={step["version"]}>{step["version"]}</option> : null}
              </select>
            </label>
            <span className="to-template">
              <Link to="/template/$template" params={{ template }} search={{ plan }} className="act">
                To the template
              </Link>
            </span>
          </div>
          <Mapping
            step={step}
            template={template}
            columns={columns}
            onInputs={(inputs) => set("inputs", inputs)}
            onFill={(fill) => set("fill", fill)}
          />
        </>
      )}
      <ConditionField
        label="when"
        value={typeof step["when"] === "string" ? step["when"] : ""}
        plan={plan}
        columns={columns}
        onValue={(cel) => set("when", cel === "" ? undefined : cel)}
      />
      <div className="acts">
        <button type="button" className="icon" aria-label={`Move ${name} up`} disabled={!onUp} onClick={onUp}>
          <ArrowUp size={15} />
        </button>
        <button type="button" className="icon" aria-label={`Move ${name} down`} disabled={!onDown} onClick={onDown}>
          <ArrowDown size={15} />
        </button>
        <button type="button" className="act" onClick={onRemove}>
          <X size={12} aria-hidden="true" /> Take {name} away
        </button>
      </div>
      <RemarksAt source={source} path={`steps.${name}`} />
    </details>
  );
}

/** Which column each input comes from, and which column each part of the answer fills. */
function Mapping({
  step,
  template,
  columns,
  onInputs,
  onFill,
}: {
  readonly step: Map;
  readonly template: string;
  readonly columns: readonly Column[];
  readonly onInputs: (inputs: Map) => void;
  readonly onFill: (fill: Map) => void;
}) {
  const { data } = useReading("showTemplate", { template });
  const inputs = (step["inputs"] ?? {}) as Map;
  const fill = (step["fill"] ?? {}) as Map;
  const columnOf = (part: string): string => Object.entries(fill).find(([, own]) => own === part)?.[0] ?? "";
  const fillPart = (part: string, column: string): void => {
    const rest = Object.entries(fill).filter(([, own]) => own !== part);
    onFill(Object.fromEntries(column === "" ? rest : [...rest, [column, part]]));
  };
  return (
    <div className="mapping">
      <fieldset>
        <legend>from columns</legend>
        {data?.inputs.map(({ name, required }) => (
          <label key={name}>
            <span>
              {name}
              {required ? "" : " (may be missing)"}
            </span>
            <select
              value={String(inputs[name] ?? "")}
              onChange={({ target }) => {
                const { [name]: _, ...rest } = inputs;
                onInputs(target.value === "" ? rest : { ...rest, [name]: target.value });
              }}
            >
              <option value="">the column {name}</option>
              {inputs[name] !== undefined && !columns.some((one) => one.name === inputs[name]) ? (
                <option>{String(inputs[name])}</option>
              ) : null}
              {columns.map((one) => (
                <option key={one.name}>{one.name}</option>
              ))}
            </select>
          </label>
        ))}
      </fieldset>
      <fieldset>
        <legend>into columns</legend>
        {data?.parts.map(({ name }) => (
          <label key={name}>
            <span>{name}</span>
            <input value={columnOf(name)} placeholder="into none" onChange={({ target }) => fillPart(name, target.value)} />
          </label>
        ))}
      </fieldset>
    </div>
  );
}

/** Whose table is asked, and which column has the questions' words. */
function Inquire({
  value,
  columns,
  onValue,
}: {
  readonly value: Map;
  readonly columns: readonly Column[];
  readonly onValue: (value: Map) => void;
}) {
  const { data: files } = useReading("listFiles", {});
  const plans = (files?.plans ?? []).map(({ name }) => name);
  const [of, words] = [String(value["of"] ?? ""), String(value["words"] ?? "")];
  const known = columns.filter(({ filled }) => !filled).map(({ name }) => name);
  const choice = (label: string, now: string, all: readonly string[], key: "of" | "words") => (
    <label className="facet">
      {label}
      <select value={now} onChange={({ target }) => onValue({ ...value, [key]: target.value })}>
        {[...new Set([now, ...all])].map((one) => (
          <option key={one}>{one}</option>
        ))}
      </select>
    </label>
  );
  return (
    <div className="kind-form">
      {choice("the table that is asked", of, plans, "of")}
      {choice("the questions' words", words, known, "words")}
    </div>
  );
}

function PlainColumns({ value, onValue }: { readonly value: Map; readonly onValue: (value: Map) => void }) {
  return (
    <fieldset className="facet whole">
      <legend>columns made of others, without a model</legend>
      {Object.entries(value).map(([column, text]) => (
        <label key={column} className="set-line">
          <span>{column}</span>
          <input
            value={typeof text === "string" ? text : JSON.stringify(text)}
            onChange={({ target }) => onValue({ ...value, [column]: target.value })}
          />
        </label>
      ))}
    </fieldset>
  );
}

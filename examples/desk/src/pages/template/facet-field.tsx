import { X } from "lucide-react";
import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import type { Json } from "../../parts/source/use-source.js";
import { KindForm } from "./kind-form.js";

export type Kinds = CallReport<"listKinds">["kinds"];
type Facet = Kinds[number]["facets"][number];

interface Props {
  readonly facet: Facet;
  readonly value: Json | undefined;
  readonly kinds: Kinds;
  readonly references: readonly string[];
  readonly onValue: (value: Json | undefined) => void;
}

const words = (key: string): string => key.replaceAll(/([A-Z])/g, " $1").toLowerCase();

/** One key of a kind, asked for in the form that its schema tells. */
export function FacetField({ facet, value, kinds, references, onValue }: Props) {
  const { key, form, options = [] } = facet;
  const label = words(key);
  switch (form) {
    case "yesNo":
      return (
        <label className="facet inline">
          <input type="checkbox" checked={value === true} onChange={({ target }) => onValue(target.checked ? true : undefined)} /> {label}
        </label>
      );
    case "number":
      return (
        <label className="facet">
          {label}
          <input
            type="number"
            step="any"
            value={typeof value === "number" ? value : ""}
            onChange={({ target }) => onValue(target.value === "" ? undefined : Number(target.value))}
          />
        </label>
      );
    case "oneOf":
      return (
        <label className="facet">
          {label}
          <select value={String(value ?? "")} onChange={({ target }) => onValue(target.value === "" ? undefined : target.value)}>
            <option value="">as usual</option>
            {options.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
      );
    case "meanings":
      return <Meanings label={label} value={value} references={facet.fromReference ? references : []} onValue={onValue} />;
    case "part":
      return (
        <fieldset className="facet whole">
          <legend>{label}</legend>
          <KindForm spec={isMap(value) ? value : { kind: "text" }} kinds={kinds} references={references} onSpec={onValue} />
        </fieldset>
      );
    case "parts":
      return <Parts label={label} value={isMap(value) ? value : {}} kinds={kinds} references={references} onValue={onValue} />;
    case "json":
      return <JsonField label={label} value={value} onValue={onValue} />;
    default:
      return (
        <label className="facet">
          {label}
          <input
            value={typeof value === "string" ? value : value === undefined ? "" : JSON.stringify(value)}
            onChange={({ target }) => onValue(target.value === "" ? undefined : target.value)}
          />
        </label>
      );
  }
}

const isMap = (value: Json | undefined): value is Readonly<Record<string, Json>> =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** Names with what they mean; or the reference that has them. */
function Meanings({
  label,
  value,
  references,
  onValue,
}: {
  readonly label: string;
  readonly value: Json | undefined;
  readonly references: readonly string[];
  readonly onValue: (value: Json | undefined) => void;
}) {
  const from = isMap(value) && Object.keys(value).length === 1 && typeof value["from"] === "string" ? value["from"] : undefined;
  const isList = Array.isArray(value);
  const pairs: [string, string][] = isList
    ? (value as readonly Json[]).map((name) => [String(name), ""])
    : isMap(value) && from === undefined
      ? Object.entries(value).map(([name, about]) => [name, String(about)])
      : [];
  const set = (next: readonly (readonly [string, string])[]): void =>
    // A list stays one as long as nothing says what its names mean.
    onValue(
      next.length === 0
        ? undefined
        : isList && next.every(([, about]) => about === "")
          ? next.map(([name]) => name)
          : Object.fromEntries(next),
    );
  return (
    <fieldset className="facet whole">
      <legend>{label}</legend>
      {references.length > 0 ? (
        <label>
          from the reference{" "}
          <select value={from ?? ""} onChange={({ target }) => onValue(target.value === "" ? {} : { from: target.value })}>
            <option value="">none: as they stand here</option>
            {references.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
      ) : null}
      {from === undefined ? (
        <>
          <ul className="pairs">
            {pairs.map(([name, about], index) => (
              // While one is being written, two may be the same.
              <li key={index}>
                <input
                  aria-label={`${label} ${index + 1}`}
                  value={name}
                  onChange={({ target }) => set(pairs.map((one, at) => (at === index ? [target.value, about] : one)))}
                />
                <input
                  aria-label={`what ${name} means`}
                  value={about}
                  placeholder="what it means"
                  onChange={({ target }) => set(pairs.map((one, at) => (at === index ? [name, target.value] : one)))}
                />
                <button
                  type="button"
                  className="remove"
                  aria-label={`Take ${name} away`}
                  onClick={() => set(pairs.filter((_, at) => at !== index))}
                >
                  <X size={13} aria-hidden="true" />
                </button>
              </li>
            ))}
          </ul>
          <button type="button" className="act" onClick={() => set([...pairs, [nextName(pairs), ""]])}>
            One more
          </button>
        </>
      ) : null}
    </fieldset>
  );
}

/** Of points the next number; else a name that is free. */
function nextName(pairs: readonly (readonly [string, string])[]): string {
  const last = Number(pairs.at(-1)?.[0] ?? Number.NaN);
  if (Number.isInteger(last)) return String(last + 1);
  for (let n = pairs.length + 1; ; n++) if (!pairs.some(([name]) => name === `option ${n}`)) return `option ${n}`;
}

function Parts({
  label,
  value,
  kinds,
  references,
  onValue,
}: Omit<Props, "facet" | "value"> & { readonly label: string; readonly value: Readonly<Record<string, Json>> }) {
  return (
    <fieldset className="facet whole">
      <legend>{label}</legend>
      {Object.entries(value).map(([name, spec]) => (
        <div key={name} className="nested">
          <b className="fig">{name}</b>
          <KindForm
            // A column may be said by its kind alone.
            spec={typeof spec === "string" ? { kind: spec } : isMap(spec) ? spec : { kind: "text" }}
            kinds={kinds.filter(({ kind }) => kind !== "record" && kind !== "rows")}
            references={references}
            onSpec={(next) => onValue({ ...value, [name]: next })}
          />
          <button
            type="button"
            className="remove"
            aria-label={`Take ${name} away`}
            onClick={() => onValue(Object.fromEntries(Object.entries(value).filter(([one]) => one !== name)))}
          >
            <X size={13} aria-hidden="true" />
          </button>
        </div>
      ))}
      <NewName
        word={`${label.replace(/s$/, "")}`}
        taken={Object.keys(value)}
        onName={(name) => onValue({ ...value, [name]: { kind: "text" } })}
      />
    </fieldset>
  );
}

function JsonField({
  label,
  value,
  onValue,
}: {
  readonly label: string;
  readonly value: Json | undefined;
  readonly onValue: (value: Json | undefined) => void;
}) {
  const [text, setText] = useState(value === undefined ? "" : JSON.stringify(value));
  const [isBroken, setBroken] = useState(false);
  return (
    <label className="facet whole">
      {label} {isBroken ? <small className="problem">this is no JSON yet</small> : null}
      <input
        value={text}
        aria-invalid={isBroken}
        onChange={({ target }) => {
          setText(target.value);
          try {
            onValue(target.value === "" ? undefined : (JSON.parse(target.value) as Json));
            setBroken(false);
          } catch {
            setBroken(true);
          }
        }}
      />
    </label>
  );
}

/** A name for something new. */
export function NewName({
  word,
  taken,
  onName,
}: {
  readonly word: string;
  readonly taken: readonly string[];
  readonly onName: (name: string) => void;
}) {
  const [name, setName] = useState("");
  const isFree = /^[\p{L}_][\p{L}\d_]*$/u.test(name) && !taken.includes(name);
  return (
    <div className="new-name">
      <input
        aria-label={`Name of a new ${word}`}
        placeholder={`new ${word}`}
        value={name}
        onChange={({ target }) => setName(target.value)}
        onKeyDown={(event) => {
          if (event.key !== "Enter") return;
          event.preventDefault();
          if (!isFree) return;
          onName(name);
          setName("");
        }}
      />
      <button
        type="button"
        className="act"
        disabled={!isFree}
        onClick={() => {
          onName(name);
          setName("");
        }}
      >
        Add
      </button>
    </div>
  );
}

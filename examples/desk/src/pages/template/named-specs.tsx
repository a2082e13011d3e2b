import { ArrowDown, ArrowUp, X } from "lucide-react";
import { RemarksAt } from "../../parts/source/remarks.js";
import type { Json, Source } from "../../parts/source/use-source.js";
import { EvidenceField } from "./evidence-field.js";
import { NewName, type Kinds } from "./facet-field.js";
import { KindForm } from "./kind-form.js";

type Spec = Readonly<Record<string, Json>>;

interface Props {
  readonly source: Source;
  /** `inputs` or `answer`. */
  readonly at: "inputs" | "answer";
  readonly title: string;
  readonly word: string;
  readonly kinds: Kinds;
  /** Part -> the column that it fills. */
  readonly fills?: Readonly<Record<string, string>> | undefined;
}

/** Inputs, or the parts of the answer: a line for each, which opens into its form. */
export function NamedSpecs({ source, at, title, word, kinds, fills = {} }: Props) {
  const { form } = source;
  const specs = Object.entries((form?.[at] ?? {}) as Readonly<Record<string, Json>>);
  const references = Object.keys((form?.["references"] ?? {}) as object);
  const places = at === "answer" ? [...Object.keys((form?.["inputs"] ?? {}) as object), ...(form?.["legwork"] ? ["found"] : [])] : [];
  const set = (next: readonly (readonly [string, Json])[]): void => source.setAt([at], Object.fromEntries(next));
  const move = (index: number, by: number): void => {
    const next = [...specs];
    const [one] = next.splice(index, 1);
    next.splice(index + by, 0, one!);
    set(next);
  };
  return (
    <section className="specs">
      <h2>{title}</h2>
      <ul>
        {specs.map(([name, given], index) => {
          const spec = (typeof given === "object" && given !== null ? given : { kind: "text" }) as Spec;
          return (
            <li key={name}>
              <details>
                <summary>
                  <b className="fig">{name}</b> <i>{String(spec["kind"])}</i> <span>{String(spec["about"] ?? "")}</span>
                  {fills[name] ? <span className="ink fig">{fills[name]}</span> : null}
                </summary>
                <KindForm spec={spec} kinds={kinds} references={references} onSpec={(next) => source.setAt([at, name], next)} />
                {at === "inputs" ? (
                  <label className="facet whole">
                    a sample, for the prompt's preview
                    <textarea
                      rows={2}
                      value={
                        typeof spec["sample"] === "string"
                          ? spec["sample"]
                          : spec["sample"] === undefined
                            ? ""
                            : JSON.stringify(spec["sample"])
                      }
                      onChange={({ target }) => source.setAt([at, name, "sample"], target.value === "" ? undefined : target.value)}
                    />
                  </label>
                ) : (
                  <EvidenceField
                    part={name}
                    value={spec["evidence"]}
                    places={places}
                    onValue={(value) => source.setAt([at, name, "evidence"], value)}
                  />
                )}
                <div className="acts">
                  <button
                    type="button"
                    className="icon"
                    aria-label={`Move ${name} up`}
                    disabled={index === 0}
                    onClick={() => move(index, -1)}
                  >
                    <ArrowUp size={15} />
                  </button>
                  <button
                    type="button"
                    className="icon"
                    aria-label={`Move ${name} down`}
                    disabled={index === specs.length - 1}
                    onClick={() => move(index, 1)}
                  >
                    <ArrowDown size={15} />
                  </button>
                  <button type="button" className="act" onClick={() => set(specs.filter((_, place) => place !== index))}>
                    <X size={12} aria-hidden="true" /> Take {name} away
                  </button>
                </div>
              </details>
              <RemarksAt source={source} path={`${at}.${name}`} />
            </li>
          );
        })}
      </ul>
      <NewName word={word} taken={specs.map(([name]) => name)} onName={(name) => set([...specs, [name, { kind: "text" }]])} />
    </section>
  );
}

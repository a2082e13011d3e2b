import type { Json } from "../../parts/source/use-source.js";
import { FacetField, type Kinds } from "./facet-field.js";

type Spec = Readonly<Record<string, Json>>;

interface Props {
  readonly spec: Spec;
  readonly kinds: Kinds;
  /** Names of references that options may come from. */
  readonly references: readonly string[];
  readonly onSpec: (spec: Spec) => void;
}

/** A spec as a small form: its kind, what it is about, and the keys that its kind takes. */
export function KindForm({ spec, kinds, references, onSpec }: Props) {
  const kind = kinds.find((one) => one.kind === spec["kind"]);
  const set = (key: string, value: Json | undefined): void => {
    const { [key]: _, ...rest } = spec;
    if (value === undefined) onSpec(rest);
    else onSpec(key in spec ? { ...spec, [key]: value } : { ...rest, [key]: value });
  };
  /** Another kind keeps what it takes of the keys that stand. */
  const toKind = (name: string): void => {
    const next = kinds.find((one) => one.kind === name);
    const keys = new Set(["about", "required", "sample", "evidence", ...(next?.facets.map(({ key }) => key) ?? [])]);
    const kept = Object.entries(spec).filter(([key]) => keys.has(key));
    const needed = (next?.facets ?? []).filter(({ key, needed: isNeeded }) => isNeeded && !(key in spec));
    onSpec({
      kind: name,
      ...Object.fromEntries(kept),
      ...Object.fromEntries(needed.map(({ key, form }) => [key, form === "number" ? (key === "to" ? 5 : 1) : {}])),
    });
  };
  return (
    <div className="kind-form">
      <label className="facet">
        kind
        <select value={String(spec["kind"] ?? "")} onChange={({ target }) => toKind(target.value)}>
          {kind ? null : <option value={String(spec["kind"] ?? "")}>{String(spec["kind"] ?? "…")}</option>}
          {kinds.map((one) => (
            <option key={one.kind} value={one.kind} title={one.summary}>
              {one.kind}
            </option>
          ))}
        </select>
      </label>
      <label className="facet about">
        what it is
        <input
          value={String(spec["about"] ?? "")}
          onChange={({ target }) => set("about", target.value === "" ? undefined : target.value)}
        />
      </label>
      {kind?.facets.map((facet) => (
        <FacetField
          key={facet.key}
          facet={facet}
          value={spec[facet.key]}
          kinds={kinds}
          references={references}
          onValue={(value) => set(facet.key, value)}
        />
      ))}
      <label className="facet inline">
        <input
          type="checkbox"
          checked={spec["required"] === false}
          onChange={({ target }) => set("required", target.checked ? false : undefined)}
        />{" "}
        may be missing
      </label>
    </div>
  );
}

import type { Json } from "../../parts/source/use-source.js";

interface Props {
  readonly part: string;
  readonly value: Json | undefined;
  /** The inputs in which words can be found, and `found` where something is looked up. */
  readonly places: readonly string[];
  readonly onValue: (value: Json | undefined) => void;
}

/** In which inputs the words must stand that carry a part of the answer; in none: it needs no evidence. */
export function EvidenceField({ part, value, places, onValue }: Props) {
  const chosen = inputsOf(value);
  const gone = chosen.filter((name) => !places.includes(name));
  if (places.length === 0 && chosen.length === 0) return null;
  return (
    <fieldset className="facet whole">
      <legend>{part} is shown by words of</legend>
      {[...places, ...gone].map((name) => (
        <label key={name} className="facet inline">
          <input
            type="checkbox"
            checked={chosen.includes(name)}
            onChange={({ target }) => {
              const next = target.checked ? [...chosen, name] : chosen.filter((one) => one !== name);
              onValue(next.length === 0 ? undefined : { in: next });
            }}
          />{" "}
          {name}
        </label>
      ))}
    </fieldset>
  );
}

function inputsOf(value: Json | undefined): readonly string[] {
  const places = typeof value === "object" && value !== null && "in" in value ? value.in : undefined;
  return Array.isArray(places) ? places.map(String) : [];
}

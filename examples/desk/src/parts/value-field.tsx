import type { CallReport } from "yoroshi/client";

type Takes = NonNullable<NonNullable<CallReport<"readRows">["columns"][number]["filled"]>["takes"]>;

interface Props {
  readonly label: string;
  readonly takes: Takes | undefined;
  readonly kind: string | undefined;
  readonly value: string;
  readonly onValue: (value: string) => void;
  readonly autoFocus?: boolean;
}

const TYPES: Readonly<Record<string, string>> = { number: "number", date: "date" };

/** A value as its kind is given: chosen where there are options or points, else written; what it looks like is told beside it. */
export function ValueField({ label, takes, kind, value, onValue, autoFocus = false }: Props) {
  const chosen =
    takes && takes.options.length > 0 ? takes.options.map((name) => ({ name })) : kind === "score" ? takes?.meanings : undefined;
  if (chosen && chosen.length > 0)
    return (
      <label>
        {label}
        <select autoFocus={autoFocus} value={value} onChange={({ target }) => onValue(target.value)}>
          <option value="">(blank)</option>
          {chosen.map(({ name }) => {
            const about = takes?.meanings.find((one) => one.name === name)?.about;
            return (
              <option key={name} value={name}>
                {about && kind === "score" ? `${name}: ${about}` : name}
              </option>
            );
          })}
        </select>
      </label>
    );
  if (kind === "text" || kind === "list" || kind === "record" || kind === "choices")
    return (
      <label>
        {label} {takes ? <small className="quiet">{takes.told}</small> : null}
        <textarea autoFocus={autoFocus} rows={3} value={value} onChange={({ target }) => onValue(target.value)} />
      </label>
    );
  return (
    <label>
      {label} {takes ? <small className="quiet">{takes.told}</small> : null}
      <input
        autoFocus={autoFocus}
        type={TYPES[kind ?? ""] ?? "text"}
        step="any"
        value={value}
        onChange={({ target }) => onValue(target.value)}
      />
    </label>
  );
}

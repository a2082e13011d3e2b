import { Link } from "@tanstack/react-router";
import { useReading } from "../../app/server.js";
import { plural, when } from "../../parts/words.js";

const SHOWN = 12;
const CHARS = 40;

const cellText = (value: string | number | boolean | null): string => {
  const text = value === null || value === "" ? "blank" : String(value);
  return text.length > CHARS ? `${text.slice(0, CHARS)}…` : text;
};

/** What the last fill that changed something altered, cell by cell. */
export function ChangesList({ plan }: { readonly plan: string }) {
  const { data, error } = useReading("readChanges", { plan, limit: SHOWN });
  return (
    <section>
      <h3>What the last fill altered</h3>
      {error || !data ? <p className="quiet">{error ? "Nothing is known of a fill that changed something." : "Reading …"}</p> : null}
      {data ? (
        <>
          <p className="quiet">
            <small>
              {when(data.startedAt)}, {plural(data.total, "cell")}
            </small>
          </p>
          <ul className="moved">
            {data.changes.map(({ key, column, before, after, why }) => (
              <li key={`${key} ${column}`}>
                <Link to="/table/$plan" params={{ plan }} search={{ row: key, col: column }}>
                  {key}
                </Link>{" "}
                {column}: {cellText(before)} → {cellText(after)} <small className="quiet">{why}</small>
              </li>
            ))}
          </ul>
          {data.total > data.changes.length ? <small className="quiet">… and {data.total - data.changes.length} more.</small> : null}
        </>
      ) : null}
    </section>
  );
}

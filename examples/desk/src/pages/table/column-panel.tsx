import { useEffect, useRef, useState } from "react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { whole } from "../../parts/words.js";
import { CrossChart } from "./cross-chart.js";
import type { Column } from "./layout.js";
import { queryOf, withFilter, type Filter, type TableSearch } from "./search.js";

interface Props {
  readonly plan: string;
  readonly column: Column;
  readonly columns: readonly Column[];
  readonly search: TableSearch;
  readonly onChange: (next: Partial<{ [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) => void;
  readonly onClose: () => void;
}

/** One column, in the margin: its order, its values with how many rows have them, which to look at, and how it goes with another column. */
export function ColumnPanel({ plan, column, columns, search, onChange, onClose }: Props) {
  const { name } = column;
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);
  const others = withFilter(search.filters, name, undefined);
  const { data, error } = useReading("readColumn", { plan, column: name, ...queryOf({ ...search, filters: others }) }, { keep: true });
  const filter = search.filters?.find((one) => one.column === name);
  const set = (next: Omit<Filter, "column"> | undefined): void =>
    onChange({ filters: withFilter(search.filters, name, next), row: undefined });
  const sort = search.sort?.find((one) => one.column === name);
  return (
    <aside
      className="column-panel"
      aria-label={`The column ${name}`}
      onKeyDown={(event) => {
        if (event.key === "Escape") onClose();
      }}
    >
      <h2 ref={heading} tabIndex={-1}>
        {name}
        <button type="button" className="act" onClick={onClose}>
          Close <b>Esc</b>
        </button>
      </h2>
      {error ? <p className="problem">{error.message}</p> : null}
      <div className="acts">
        <button
          type="button"
          className="act"
          aria-pressed={sort !== undefined && !sort.descending}
          onClick={() => onChange({ sort: [{ column: name }] })}
        >
          First first
        </button>
        <button
          type="button"
          className="act"
          aria-pressed={sort?.descending === true}
          onClick={() => onChange({ sort: [{ column: name, descending: true }] })}
        >
          Last first
        </button>
        <button type="button" className="act" onClick={() => onChange({ hidden: [...(search.hidden ?? []), name] })}>
          Hide it
        </button>
      </div>
      {data?.of === "values" || (data && data.bins.every(({ to }) => to === undefined) && data.of === "numbers") ? (
        <Values data={data} filter={filter} onFilter={set} />
      ) : data?.of === "numbers" ? (
        <Bounds key="numbers" type="number" data={data} filter={filter} onFilter={set} />
      ) : data ? (
        <Bounds key="days" type="date" data={data} filter={filter} onFilter={set} />
      ) : null}
      <HasField filter={filter} onFilter={set} />
      {column.filled ? <ByAnother plan={plan} column={name} columns={columns} search={search} /> : null}
    </aside>
  );
}

type Figures = CallReport<"readColumn">;
type SetFilter = (next: Omit<Filter, "column"> | undefined) => void;

/** Single values, each with its share; ticked ones are looked at. */
function Values({ data, filter, onFilter }: { readonly data: Figures; readonly filter: Filter | undefined; readonly onFilter: SetFilter }) {
  const ticked = new Set(filter?.is);
  const most = Math.max(1, ...data.bins.map(({ rows }) => rows));
  const blank = data.blank > 0 ? [{ value: "", rows: data.blank }] : [];
  return (
    <fieldset className="values">
      <legend>Only rows with</legend>
      <ul>
        {[...data.bins, ...blank].map(({ value, rows }) => (
          <li key={value}>
            <label>
              <input
                type="checkbox"
                checked={ticked.has(value)}
                onChange={({ target }) =>
                  onFilter({ is: target.checked ? [...ticked, value] : [...ticked].filter((one) => one !== value) })
                }
              />
              <span className="value">{value || "(blank)"}</span>
              <span className="stroke" aria-hidden="true">
                <i style={{ width: `${(rows / most) * 100}%` }} />
              </span>
              <span className="n">
                {rows.toLocaleString("en")} <small className="quiet">{whole(rows / Math.max(1, data.rows))}</small>
              </span>
            </label>
          </li>
        ))}
      </ul>
      {data.others > 0 ? <small className="quiet">{data.others.toLocaleString("en")} rows have other values.</small> : null}
    </fieldset>
  );
}

/** Numbers and days, between bounds. */
function Bounds({
  type,
  data,
  filter,
  onFilter,
}: {
  readonly type: "number" | "date";
  readonly data: Figures;
  readonly filter: Filter | undefined;
  readonly onFilter: SetFilter;
}) {
  const most = Math.max(1, ...data.bins.map(({ rows }) => rows));
  const set = (key: "atLeast" | "atMost", value: string): void => {
    const { column: _, ...rest } = filter ?? { column: "" };
    const { [key]: __, ...others } = rest;
    onFilter(value === "" ? others : { ...others, [key]: value });
  };
  return (
    <fieldset className="values">
      <legend>Only rows</legend>
      <div className="bounds">
        <label>
          from <input type={type} step="any" value={filter?.atLeast ?? ""} onChange={({ target }) => set("atLeast", target.value)} />
        </label>
        <label>
          to <input type={type} step="any" value={filter?.atMost ?? ""} onChange={({ target }) => set("atMost", target.value)} />
        </label>
      </div>
      <ul>
        {data.bins.map(({ value, to, rows }) => (
          <li key={value}>
            <button
              type="button"
              onClick={() => onFilter({ atLeast: value, ...(to === undefined ? { atMost: `${value}\uffff` } : { atMost: to }) })}
            >
              <span className="value">{to === undefined ? value : `${value} to ${to}`}</span>
              <span className="stroke" aria-hidden="true">
                <i style={{ width: `${(rows / most) * 100}%` }} />
              </span>
              <span className="n">{rows.toLocaleString("en")}</span>
            </button>
          </li>
        ))}
      </ul>
      {data.numbers ? (
        <small className="quiet">
          {data.numbers.least} to {data.numbers.most}, mean {data.numbers.mean.toFixed(2)}, median {data.numbers.median}
        </small>
      ) : null}
    </fieldset>
  );
}

function HasField({ filter, onFilter }: { readonly filter: Filter | undefined; readonly onFilter: SetFilter }) {
  const [text, setText] = useState(filter?.has ?? "");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        const { column: _, has: __, ...rest } = filter ?? { column: "" };
        onFilter(text === "" ? rest : { ...rest, has: text });
      }}
    >
      <label>
        that have the letters <input value={text} onChange={({ target }) => setText(target.value)} />
      </label>
      <button type="submit" className="act">
        Look
      </button>
    </form>
  );
}

function ByAnother({
  plan,
  column,
  columns,
  search,
}: {
  readonly plan: string;
  readonly column: string;
  readonly columns: readonly Column[];
  readonly search: TableSearch;
}) {
  const [by, setBy] = useState("");
  const { data, error } = useReading("readCross", { plan, column, across: by, ...queryOf(search) }, { enabled: by !== "", keep: true });
  return (
    <section className="by-another">
      <label>
        by another column, or over time{" "}
        <select value={by} onChange={({ target }) => setBy(target.value)}>
          <option value="">…</option>
          {columns
            .filter(({ name }) => name !== column)
            .map(({ name }) => (
              <option key={name}>{name}</option>
            ))}
        </select>
      </label>
      {error ? <p className="problem">{error.message}</p> : null}
      {data && by !== "" ? <CrossChart data={data} /> : null}
    </section>
  );
}

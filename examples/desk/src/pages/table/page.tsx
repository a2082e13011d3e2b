import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useCallback, useMemo, useState } from "react";
import { useKeys } from "../../app/keys.js";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";
import { ColumnsList } from "./columns-list.js";
import { FillBar } from "./fill-bar.js";
import { FiltersTold } from "./filters-told.js";
import { FindField } from "./find-field.js";
import { Grid } from "./grid.js";
import { MarginKey } from "./margin-key.js";
import { TakeAway } from "./take-away.js";
import type { TableSearch } from "./search.js";
import { useFirstRows } from "./use-rows.js";
import "./table.css";

type Bar = "fill" | "columns" | "where" | "marks";

/** The analyst's own table, with its filled columns and what is known of each row beside it. */
export function TablePage() {
  const { plan } = useParams({ from: "/table/$plan" });
  const search = useSearch({ from: "/table/$plan" });
  const navigate = useNavigate({ from: "/table/$plan" });
  const { data: first, error, isPlaceholderData } = useFirstRows(plan, search);
  const { data: shown } = useReading("showPlan", { plan });
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [open, setOpen] = useState<Bar | undefined>();
  const change = useCallback(
    (next: Partial<{ readonly [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) =>
      // Keys that are undefined leave the address.
      void navigate({ search: (before) => ({ ...before, ...next }) as TableSearch, replace: true }),
    [navigate],
  );
  const toggle = (what: Bar): void => setOpen((now) => (now === what ? undefined : what));
  useKeys({ f: () => toggle("fill"), "/": () => document.getElementById("find")?.focus() });
  const tick = useCallback((keys: readonly string[], on: boolean) => {
    setChosen((before) => {
      const next = new Set(before);
      for (const key of keys)
        if (on) next.add(key);
        else next.delete(key);
      return next;
    });
  }, []);
  const about = useMemo(() => (first ? `${plural(first.rows, "row")} of ${first.table}` : ""), [first]);
  return (
    <Shell
      title={plan}
      about={shown?.title ?? about}
      plan={plan}
      station="fill"
      isReading={!first || first.reading !== undefined}
      acts={
        <>
          <FindField value={search.q ?? ""} onFind={(q) => change({ q, row: undefined })} />
          <button type="button" className="act narrow-only" aria-expanded={open === "marks"} onClick={() => toggle("marks")}>
            Marks
          </button>
          <button type="button" className="act" aria-expanded={open === "where"} onClick={() => toggle("where")}>
            Where
          </button>
          <button type="button" className="act" aria-expanded={open === "columns"} onClick={() => toggle("columns")}>
            Columns
          </button>
          <Link to="/ask/$plan" params={{ plan }} className="act">
            Ask
          </Link>
          <Link to="/report/$plan" params={{ plan }} className="act">
            Report
          </Link>
          <TakeAway plan={plan} search={search} />
          <button type="button" className="act" aria-expanded={open === "fill"} onClick={() => toggle("fill")}>
            Fill <b>F</b>
          </button>
        </>
      }
    >
      <div className="table-page">
        {open === "marks" ? (
          <div className="marks-bar">
            <MarginKey plan={plan} search={search} onChange={change} />
          </div>
        ) : null}
        {open === "columns" && first ? <ColumnsList columns={first.columns} search={search} onChange={change} /> : null}
        {open === "fill" ? (
          <FillBar plan={plan} chosen={chosen} search={search} found={first?.found ?? 0} onDone={() => setOpen(undefined)} />
        ) : null}
        <FiltersTold
          search={search}
          found={first?.found}
          rows={first?.rows}
          chosen={chosen}
          isWriting={open === "where"}
          onWriting={(is) => setOpen(is ? "where" : undefined)}
          onChange={change}
          onChosen={setChosen}
        />
        <Problem error={error} />
        {first?.reading === undefined ? null : (
          <p className="filters" role="status">
            The table is being read: {plural(first.rows, "row")} so far
            {first.reading > 0 ? `, ${Math.round(first.reading * 100)} %` : ""}{" "}
            <progress value={first.reading} aria-label="How much is read" />
          </p>
        )}
        {first ? (
          <Grid plan={plan} first={first} isOld={isPlaceholderData} search={search} chosen={chosen} onTick={tick} onChange={change} />
        ) : error ? null : (
          <Reading what="the table" />
        )}
      </div>
    </Shell>
  );
}

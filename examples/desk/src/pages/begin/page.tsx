import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { ChooseTable } from "./choose-table.js";
import { FirstRows } from "./first-rows.js";
import { Made } from "./made.js";
import { NextFile } from "./next-file.js";
import { placeOf, type BeginSearch, type Place } from "./place.js";
import { Questions } from "./questions.js";
import "./begin.css";

export type Begun = CallReport<"beginPlan">;

/** From a table to its first filled rows: the questions that `yoroshi start` asks, on one page, with the table beside them. */
export function BeginPage() {
  const search = useSearch({ from: "/begin" });
  const navigate = useNavigate({ from: "/begin" });
  const place = placeOf(search);
  const [begun, setBegun] = useState<Begun | undefined>();
  const { data, error } = useReading("lookAtNew", { place: place ?? { file: "" } }, { enabled: place !== undefined, keep: true });
  const choose = (next: Place | undefined): void => {
    setBegun(undefined);
    void navigate({ search: (next ?? {}) as BeginSearch });
  };
  return (
    <Shell title="Begin" about="from a table to its first filled rows" flows>
      {place === undefined ? (
        <ChooseTable onChoose={choose} />
      ) : (
        <div className="begin">
          <section className="asked">
            <p className="chosen-table">
              <b>{"file" in place ? place.file : place.table}</b>{" "}
              <button type="button" className="act" onClick={() => choose(undefined)}>
                Another table
              </button>
            </p>
            <Problem error={error} />
            {begun ? (
              <Made begun={begun} />
            ) : data ? (
              <>
                {"file" in place ? <NextFile file={place.file} /> : null}
                <Questions key={JSON.stringify(place)} place={place} look={data.look} onPlace={choose} onBegun={setBegun} />
              </>
            ) : error ? null : (
              <Reading what="the table" />
            )}
          </section>
          {data ? <FirstRows look={data.look} rows={data.rows} /> : null}
        </div>
      )}
    </Shell>
  );
}

import { Link, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";
import { Draw } from "./draw.js";
import { LabelRow } from "./label-row.js";
import { Settle } from "./settle.js";
import "./samples.css";

/** Rows with their right values, given before anybody sees what a model says: one row at a time, by keys. */
export function SamplesPage() {
  const { template } = useParams({ from: "/samples/$template" });
  const { plan } = useSearch({ from: "/samples/$template" });
  const [person, setPerson] = useState("");
  const [draft, setDraft] = useState("");
  const file = `samples/${template}.csv`;
  const { data, error } = useReading("readLabels", { file, template, ...(person ? { person } : {}) }, { keep: true });
  return (
    <Shell
      title={template}
      about={data ? `${plural(data.rows.length, "sample")} in ${data.file}, ${data.open} still to label` : "samples"}
      plan={plan}
      template={template}
      station="trial"
      flows
      acts={
        <>
          <form
            className="as-person"
            onSubmit={(event) => {
              event.preventDefault();
              setPerson(draft.trim());
            }}
          >
            <label>
              beside others, as <input size={8} value={draft} placeholder="my name" onChange={({ target }) => setDraft(target.value)} />
            </label>
            <button type="submit" className="act">
              {person === draft.trim() ? (person ? `as ${person}` : "alone") : "Label so"}
            </button>
          </form>
          <Link to="/trials/$template" params={{ template }} search={plan ? { plan } : {}} className="act">
            To the trials
          </Link>
        </>
      }
    >
      <div className="samples">
        {data && data.rows.length > 0 ? (
          <LabelRow key={person} sheet={data} template={template} person={person} />
        ) : data || error ? (
          <section>
            <h2>There is nothing to label yet.</h2>
            <p className="quiet">Draw rows of a table below; they come into {file} with blank columns for the right values.</p>
            {data ? null : <Problem error={error} />}
          </section>
        ) : (
          <Reading what="the samples" />
        )}
        <aside className="glosses">
          <Draw template={template} plan={plan} />
          {data && data.rows.length > 0 ? <Settle file={file} template={template} /> : null}
        </aside>
      </div>
    </Shell>
  );
}

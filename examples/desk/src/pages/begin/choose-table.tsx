import { useState, type DragEvent } from "react";
import { ServerError } from "yoroshi/client";
import { queries, server, useReading } from "../../app/server.js";
import { Problem, Reading } from "../../parts/problem.js";
import { when } from "../../parts/words.js";
import type { Place } from "./place.js";

const ENDINGS = ".csv,.tsv,.xlsx,.xlsm,.ods,.jsonl,.ndjson";

/** Where the table comes from: a file that is dropped here, one of the project's folder, a table of a database. */
export function ChooseTable({ onChoose }: { readonly onChoose: (place: Place) => void }) {
  const { data, error } = useReading("findTables", {});
  const [sending, setSending] = useState<string | undefined>();
  const [problem, setProblem] = useState<unknown>();
  const [clash, setClash] = useState<File | undefined>();
  const [isOver, setOver] = useState(false);
  const send = async (file: File, about: { readonly name?: string; readonly replace?: boolean } = {}): Promise<void> => {
    setProblem(undefined);
    setClash(undefined);
    setSending(file.name);
    try {
      const { file: kept } = await server.upload(about.name ?? file.name, file, about.replace ? { replace: true } : {});
      void queries.invalidateQueries();
      onChoose({ file: kept });
    } catch (one) {
      if (one instanceof ServerError && one.code === "fileExists") setClash(file);
      else setProblem(one);
    }
    setSending(undefined);
  };
  const drop = (event: DragEvent): void => {
    event.preventDefault();
    setOver(false);
    const [file] = event.dataTransfer.files;
    if (file) void send(file);
  };
  return (
    <div className="choose">
      <section
        className={isOver ? "drop over" : "drop"}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
      >
        <h2>Which table?</h2>
        <p>Drop a workbook, a CSV file or JSON Lines here. It is copied into the project's folder; your own file stays as it is.</p>
        <label className="act">
          Choose a file …
          <input
            className="vh"
            type="file"
            accept={ENDINGS}
            disabled={sending !== undefined}
            onChange={({ target }) => target.files?.[0] && void send(target.files[0])}
          />
        </label>
        {sending === undefined ? null : <p role="status">Sending {sending} and looking at it …</p>}
        {clash ? (
          <div className="problem" role="alert">
            <p>The folder has a file {clash.name} already.</p>
            <div className="acts">
              <button type="button" className="act" onClick={() => void send(clash, { replace: true })}>
                Replace {clash.name}
              </button>
              <button type="button" className="act" onClick={() => void send(clash, { name: otherName(clash.name) })}>
                Keep both, as {otherName(clash.name)}
              </button>
            </div>
          </div>
        ) : null}
        <Problem error={problem} />
      </section>
      <section>
        <h2>Or one that is there</h2>
        <Problem error={error} />
        {data ? null : error ? null : <Reading what="the folder" />}
        <ul className="lines">
          {data?.files.map(({ file, bytes, changedAt, plans }) => (
            <li key={file}>
              <button type="button" className="act" onClick={() => onChoose({ file })}>
                {file}
              </button>
              <small className="quiet">{plans.length > 0 ? `filled by ${plans.join(", ")}` : "no plan yet"}</small>
              <small className="quiet">
                {sizeTold(bytes)}, {when(changedAt)}
              </small>
            </li>
          ))}
          {data?.databases.flatMap(({ database, tables, problem: said }) =>
            said === undefined
              ? tables.map(({ table, plans }) => (
                  <li key={`${database}:${table}`}>
                    <button type="button" className="act" onClick={() => onChoose({ database, table })}>
                      {table}
                    </button>
                    <small className="quiet">{plans.length > 0 ? `filled by ${plans.join(", ")}` : "no plan yet"}</small>
                    <small className="quiet">the database {database}</small>
                  </li>
                ))
              : [
                  <li key={database}>
                    <span className="problem">
                      The database {database}: {said}
                    </span>
                  </li>,
                ],
          )}
        </ul>
        {data && data.files.length === 0 && data.databases.length === 0 ? <p className="quiet">The folder has no table yet.</p> : null}
        {data && data.databases.length === 0 ? (
          <p className="quiet hint">
            A database's tables stand here once <code>yoroshi.yaml</code> names it:{" "}
            <code>databases: {"{ main: { url: { env: DATABASE_URL } } }"}</code>.
          </p>
        ) : null}
      </section>
    </div>
  );
}

const sizeTold = (bytes: number): string =>
  bytes < 1_000 ? `${bytes} bytes` : bytes < 1_000_000 ? `${Math.round(bytes / 1_000)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`;

/** `monday.csv` -> `monday-2.csv`. */
const otherName = (name: string): string => name.replace(/(\.[^.]+)?$/, "-2$1");

import { ServerError } from "yoroshi/client";
import { problemOf } from "../app/server.js";

interface Complaint {
  readonly file?: string;
  readonly line?: number;
  readonly column?: number;
  readonly message?: string;
}

/** An error at the place that it concerns: what is wrong, where, and what to do. */
export function Problem({ error }: { readonly error: unknown }) {
  if (!error) return null;
  const complaints =
    error instanceof ServerError && Array.isArray(error.problem["complaints"]) ? (error.problem["complaints"] as Complaint[]) : [];
  return (
    <div className="problem" role="alert">
      <p>{problemOf(error)}</p>
      {complaints.length > 0 ? (
        <ul>
          {complaints.map(({ file, line, column, message }) => (
            <li key={`${file} ${line} ${column} ${message}`}>
              <small>
                {file}
                {line === undefined ? "" : `, line ${line}`}
              </small>{" "}
              {message}
            </li>
          ))}
        </ul>
      ) : null}
    </div>
  );
}

/** Something is read that is not there yet. */
export const Reading = ({ what }: { readonly what: string }) => (
  <p className="quiet" role="status">
    Reading {what} …
  </p>
);

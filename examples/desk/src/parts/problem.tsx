import { ServerError } from "yoroshi/client";
import { problemOf } from "../app/server.js";

interface Complaint {
  readonly place?: { readonly file: string; readonly line: number; readonly column: number };
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
          {complaints.map(({ place, message }) => (
            <li key={`${place?.file} ${place?.line} ${place?.column} ${message}`}>
              <small>{place ? `${place.file}, line ${place.line}` : ""}</small> {message}
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

import { Problem } from "../problem.js";
import type { Source } from "./use-source.js";

interface Told {
  readonly line: number;
  readonly column: number;
  readonly message: string;
  readonly isWarning: boolean;
}

/** Mistakes and warnings as an editor marks them. */
export const remarksOf = ({ complaints, warnings }: Pick<Source, "complaints" | "warnings">): Told[] => [
  ...complaints.map(({ place, message }) => ({ line: place.line, column: place.column, message, isWarning: false })),
  ...warnings.map(({ place, message }) => ({ line: place.line, column: place.column, message, isWarning: true })),
];

/** The path of the form that stands at a place of the text, or last before it. */
function pathAt(places: Source["places"], line: number, column: number): string {
  let found = "";
  let at = { line: 0, column: 0 };
  for (const [path, place] of Object.entries(places)) {
    const isBefore = place.line < line || (place.line === line && place.column <= column);
    if (isBefore && (place.line > at.line || (place.line === at.line && place.column >= at.column))) {
      at = place;
      found = path;
    }
  }
  return found;
}

/** What is to be said of one part of the form, beside it. */
export function RemarksAt({ source, path }: { readonly source: Source; readonly path: string }) {
  const here = remarksOf(source).filter(({ line, column }) => {
    const at = pathAt(source.places, line, column);
    return at === path || at.startsWith(`${path}.`);
  });
  return <List all={here} />;
}

/** All that is to be said of the file, and what to do where somebody else has changed it. */
export function Remarks({ source }: { readonly source: Source }) {
  const { problem, theirs } = source;
  return (
    <>
      {theirs ? (
        <div className="problem" role="alert">
          <p>{source.file} was changed elsewhere while you worked on it.</p>
          <div className="acts">
            <button type="button" className="act" onClick={source.takeTheirs}>
              Take theirs, and lose what is here
            </button>
            <button type="button" className="act" onClick={source.keepOurs}>
              Keep mine, to be saved over theirs
            </button>
          </div>
        </div>
      ) : null}
      <Problem error={problem} />
      <List all={remarksOf(source)} />
    </>
  );
}

const List = ({ all }: { readonly all: readonly Told[] }) =>
  all.length === 0 ? null : (
    <ul className="remarks">
      {all.map(({ line, column, message, isWarning }) => (
        <li key={`${line} ${column} ${message}`} className={isWarning ? "quiet" : "problem"}>
          <small>line {line}</small> {message}
        </li>
      ))}
    </ul>
  );

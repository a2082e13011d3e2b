import { X } from "lucide-react";
import { useState, type ReactNode } from "react";
import { plural } from "../../parts/words.js";
import { filterTold, withFilter, type TableSearch } from "./search.js";

interface Props {
  readonly search: TableSearch;
  readonly found: number | undefined;
  readonly rows: number | undefined;
  readonly chosen: ReadonlySet<string>;
  /** A condition is being written. */
  readonly isWriting: boolean;
  readonly onWriting: (is: boolean) => void;
  readonly onChange: (next: Partial<{ [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) => void;
  readonly onChosen: (keys: ReadonlySet<string>) => void;
}

/** What is looked for, in words, each to be taken away; and a condition for those who like CEL. */
export function FiltersTold({ search, found, rows, chosen, isWriting, onWriting, onChange, onChosen }: Props) {
  const { q, filters = [], where, states = [], sort = [] } = search;
  const nothing = !q && filters.length === 0 && where === undefined && states.length === 0 && sort.length === 0;
  if (nothing && chosen.size === 0 && !isWriting) return null;
  return (
    <div className="filters" role="group" aria-label="What is looked for">
      {found !== undefined && rows !== undefined && found !== rows ? (
        <b role="status">
          {found.toLocaleString("en")} of {plural(rows, "row")}
        </b>
      ) : null}
      {q ? <Told off={() => onChange({ q: undefined })}>has “{q}”</Told> : null}
      {states.length > 0 ? <Told off={() => onChange({ states: undefined })}>a cell stands {states.join(" or ")}</Told> : null}
      {filters.map((filter) => (
        <Told key={filter.column} off={() => onChange({ filters: withFilter(filters, filter.column, undefined) })}>
          {filterTold(filter)}
        </Told>
      ))}
      {where !== undefined && !isWriting ? <Told off={() => onChange({ where: undefined })}>{where}</Told> : null}
      {sort.map(({ column, descending }) => (
        <Told key={column} off={() => onChange({ sort: sort.filter((one) => one.column !== column) })}>
          by {column}, {descending ? "last first" : "first first"}
        </Told>
      ))}
      {chosen.size > 0 ? <Told off={() => onChosen(new Set())}>{plural(chosen.size, "row")} chosen</Told> : null}
      {isWriting ? (
        <WhereField
          value={where ?? ""}
          onDone={(text) => {
            onWriting(false);
            if (text !== undefined) onChange({ where: text === "" ? undefined : text });
          }}
        />
      ) : null}
    </div>
  );
}

const Told = ({ children, off }: { readonly children: ReactNode; readonly off: () => void }) => (
  <span className="told">
    {children}
    <button type="button" onClick={off} aria-label="Take this away">
      <X size={13} aria-hidden="true" />
    </button>
  </span>
);

/** A condition as plans have them: `row.severity >= 4 && row.vessel == "MV Tern"`. */
function WhereField({ value, onDone }: { readonly value: string; readonly onDone: (text: string | undefined) => void }) {
  const [text, setText] = useState(value);
  return (
    <form
      className="where"
      onSubmit={(event) => {
        event.preventDefault();
        onDone(text.trim());
      }}
    >
      <label>
        only rows where{" "}
        <input
          autoFocus
          value={text}
          size={44}
          placeholder='row.severity >= 4 && row.hazard != "unclear"'
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && onDone(undefined)}
        />
      </label>
      <button type="submit" className="act">
        Look
      </button>
      <small className="quiet">CEL, as in plans; Esc leaves it</small>
    </form>
  );
}

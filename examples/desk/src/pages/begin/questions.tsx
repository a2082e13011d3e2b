import { useState, type FormEvent } from "react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { plural } from "../../parts/words.js";
import { beginWith, type Answers } from "./begin-with.js";
import type { Begun } from "./page.js";
import type { Place } from "./place.js";
import { SAID, WHATS, type What } from "./wanted.js";
import { WantedForm } from "./wanted-form.js";

type Look = CallReport<"lookAtNew">["look"];
const NUMBERED = "rowId";

interface Props {
  readonly place: Place;
  readonly look: Look;
  readonly onPlace: (place: Place) => void;
  readonly onBegun: (begun: Begun) => void;
}

/** The columns with the longest texts are the ones that are read. */
function readByHabit({ columns }: Look): string[] {
  const filled = columns.filter(({ looksLike }) => looksLike !== "empty").sort((a, b) => b.meanChars - a.meanChars);
  const first = filled.find(({ looksLike }) => looksLike === "text") ?? filled[0];
  return first ? [first.name] : [];
}

/** What has to be known before a template and a plan are made; whatever can be guessed is answered already. */
export function Questions({ place, look, onPlace, onBegun }: Props) {
  const { data: keys, error: keysProblem } = useReading("findNewKeys", { place: settled(place, look) });
  const [what, setWhat] = useState<What>("topic");
  const [said, setSaid] = useState(SAID);
  const [from, setFrom] = useState(() => readByHabit(look));
  const [key, setKey] = useState<string | undefined>();
  const [column, setColumn] = useState("");
  const [writing, setWriting] = useState<Pick<Answers, "dates" | "numbers">>({});
  const [isSending, setSending] = useState(false);
  const [problem, setProblem] = useState<unknown>();
  const candidates = keys?.candidates ?? [];
  const taken = key ?? candidates[0]?.column ?? (keys ? NUMBERED : undefined);
  const isNumbered = taken === NUMBERED && !candidates.some((one) => one.column === NUMBERED);
  const unclear = look.columns.filter(({ name, written }) => from.includes(name) && written === "unclear");
  const send = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    if (taken === undefined) return;
    setSending(true);
    setProblem(undefined);
    try {
      onBegun(
        await beginWith({
          place: settled(place, look),
          what,
          said,
          from,
          column,
          key: taken,
          isNumbered,
          ...defaults(unclear),
          ...writing,
        }),
      );
    } catch (error) {
      setProblem(error);
    }
    setSending(false);
  };
  return (
    <form className="questions" onSubmit={(event) => void send(event)}>
      {"file" in place ? <SheetAndHeader place={place} look={look} onPlace={onPlace} /> : null}
      <fieldset className="whats">
        <legend>What is to be filled?</legend>
        {WHATS.map((one) => (
          <label key={one.what} className={what === one.what ? "on" : undefined}>
            <input type="radio" name="what" checked={what === one.what} onChange={() => setWhat(one.what)} /> <b>{one.told}</b>{" "}
            <small className="quiet">{one.about}</small>
          </label>
        ))}
      </fieldset>
      <WantedForm what={what} said={said} onSaid={(next) => setSaid({ ...said, ...next })} />
      {what === "template" ? null : (
        <fieldset className="from">
          <legend>From which columns?</legend>
          {look.columns
            .filter(({ name, looksLike }) => name !== "" && looksLike !== "empty")
            .map(({ name }) => (
              <label key={name}>
                <input
                  type="checkbox"
                  checked={from.includes(name)}
                  onChange={({ target }) => setFrom(target.checked ? [...from, name] : from.filter((one) => one !== name))}
                />{" "}
                {name}
              </label>
            ))}
        </fieldset>
      )}
      <label className="block">
        Which column names a row? (it never repeats){" "}
        <select value={taken ?? ""} disabled={!keys} onChange={({ target }) => setKey(target.value)}>
          {keys ? null : <option value="">all rows are being gone through …</option>}
          {candidates.map(({ column: name, blank }) => (
            <option key={name} value={name}>
              {name}
              {blank > 0 ? ` (${plural(blank, "row")} without one are left as they are)` : ""}
            </option>
          ))}
          {"file" in place ? <option value={NUMBERED}>none: copy the table, with a column {NUMBERED} that numbers the rows</option> : null}
        </select>
      </label>
      {keys && candidates.length === 0 ? (
        <p className="quiet">
          No column names each of the {plural(keys.rows, "row")}: all repeat, or have blanks.
          {"file" in place ? " The copy stands beside your file, which stays as it is." : " Give the table a column that never repeats."}
        </p>
      ) : null}
      <Problem error={keysProblem} />
      {unclear.map(({ name, looksLike, examples }) => (
        <Written
          key={name}
          name={name}
          isDay={looksLike === "date"}
          example={examples[0] ?? ""}
          now={{ ...defaults(unclear), ...writing }}
          onWriting={setWriting}
        />
      ))}
      {what === "facts" || what === "template" || what === "words" ? null : (
        <label className="block">
          The new column's name <input value={column} placeholder={what} onChange={({ target }) => setColumn(target.value)} />
        </label>
      )}
      <Problem error={problem} />
      <button type="submit" className="main-act" disabled={isSending || taken === undefined || (from.length === 0 && what !== "template")}>
        {isSending ? "Making it, and asking about the first rows …" : "Make it, and fill the first three rows"}
      </button>
    </form>
  );
}

/** The place with what was found of it. */
const settled = (place: Place, { sheet, headerRow }: Look): Place =>
  "file" in place ? { ...place, ...(sheet === undefined ? {} : { sheet }), ...(headerRow === undefined ? {} : { headerRow }) } : place;

type Unclear = readonly Look["columns"][number][];

const defaults = (unclear: Unclear): Pick<Answers, "dates" | "numbers"> => ({
  ...(unclear.some(({ looksLike }) => looksLike === "date") ? { dates: "dayFirst" as const } : {}),
  ...(unclear.some(({ looksLike }) => looksLike === "number") ? { numbers: "point" as const } : {}),
});

function SheetAndHeader({
  place,
  look,
  onPlace,
}: {
  readonly place: Extract<Place, { file: string }>;
  readonly look: Look;
  readonly onPlace: (place: Place) => void;
}) {
  const rows = look.otherHeaders.length > 0 || place.headerRow !== undefined;
  if (look.sheets.length < 2 && !rows) return null;
  return (
    <div className="sheet">
      {look.sheets.length > 1 ? (
        <label>
          Sheet{" "}
          <select value={look.sheet ?? look.sheets[0]} onChange={({ target }) => onPlace({ file: place.file, sheet: target.value })}>
            {look.sheets.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
      ) : null}
      {rows ? (
        <label>
          The columns' names stand in row{" "}
          <select
            value={look.headerRow ?? 1}
            onChange={({ target }) => onPlace({ ...place, ...(look.sheet ? { sheet: look.sheet } : {}), headerRow: Number(target.value) })}
          >
            <option value={look.headerRow ?? 1}>
              {look.headerRow ?? 1}:{" "}
              {look.columns
                .slice(0, 4)
                .map(({ name }) => name)
                .join(", ")}
            </option>
            {look.otherHeaders.map(({ row, names }) => (
              <option key={row} value={row}>
                {row}: {names.join(", ")}
              </option>
            ))}
          </select>
        </label>
      ) : null}
    </div>
  );
}

/** How numbers and days are written is asked only where nothing in the column tells it. */
function Written({
  name,
  isDay,
  example,
  now,
  onWriting,
}: {
  readonly name: string;
  readonly isDay: boolean;
  readonly example: string;
  readonly now: Pick<Answers, "dates" | "numbers">;
  readonly onWriting: (writing: Pick<Answers, "dates" | "numbers">) => void;
}) {
  const { dates, numbers } = now;
  return isDay ? (
    <label className="block">
      {name} has {example}: which comes first?{" "}
      <select value={dates} onChange={({ target }) => onWriting({ ...now, dates: target.value as "dayFirst" })}>
        <option value="dayFirst">the day</option>
        <option value="monthFirst">the month</option>
      </select>
    </label>
  ) : (
    <label className="block">
      {name} has {example}: what stands before the decimals?{" "}
      <select value={numbers} onChange={({ target }) => onWriting({ ...now, numbers: target.value as "point" })}>
        <option value="point">a point</option>
        <option value="comma">a comma</option>
      </select>
    </label>
  );
}

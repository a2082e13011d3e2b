import { useState } from "react";
import type { CallInput } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, UNDER_WAY, useReading } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";
import { money, plural } from "../../parts/words.js";
import { queryOf, type TableSearch } from "./search.js";

type Refill = NonNullable<CallInput<"fillPlan">["refill"]>;

const REFILLS: readonly { readonly name: Refill; readonly about: string }[] = [
  { name: "blank", about: "without a value" },
  { name: "stale", about: "without a value, or out of date" },
  { name: "failed", about: "these, and those that failed" },
  { name: "all", about: "all, also those that are right as they are" },
];

/** How often it is looked who works. */
const LOOK_MS = 3_000;

interface Props {
  readonly plan: string;
  readonly chosen: ReadonlySet<string>;
  readonly search: TableSearch;
  readonly found: number;
  readonly onDone: () => void;
}

/** Which rows are filled, what that would cost, and the button that spends it. */
export function FillBar({ plan, chosen, search, found, onDone }: Props) {
  const query = queryOf(search);
  const isNarrowed = Object.keys(query).length > 0;
  const [which, setWhich] = useState<"chosen" | "found" | "all">(chosen.size > 0 ? "chosen" : isNarrowed ? "found" : "all");
  const [refill, setRefill] = useState<Refill | "">("");
  const [spend, setSpend] = useState("");
  const [most, setMost] = useState("");
  const [ignoreGate, setIgnoreGate] = useState(false);
  const [spread, setSpread] = useState(false);
  const [error, setError] = useState<unknown>();
  const choice: CallInput<"previewFill"> = {
    plan,
    ...(which === "chosen" ? { only: [...chosen] } : which === "found" ? { found: query } : {}),
    ...(refill === "" ? {} : { refill }),
    ...(spend === "" ? {} : { spend: Number(spend) }),
    ...(most === "" ? {} : { rows: Number(most) }),
  };
  const { data: preview, error: problem, isFetching } = useReading("previewFill", choice, { keep: true });
  const { data: project } = useReading("showProject", {}, { everyMs: LOOK_MS });
  const currency = project?.currency ?? "";
  const go = async (): Promise<void> => {
    setError(undefined);
    try {
      const run = await server.fillPlan({ ...choice, ...(ignoreGate ? { ignoreGate } : {}), ...(spread ? { spread } : {}) });
      queries.setQueryData(UNDER_WAY, (all: readonly object[] = []) => [run, ...all]);
      didAct({ says: `${plan} is being filled; it goes on when this page is closed.` });
      onDone();
    } catch (one) {
      setError(one);
      failed(one);
    }
  };
  return (
    <section className="fill-bar" aria-label="Fill">
      <fieldset>
        <legend>Fill</legend>
        <Choice name="chosen" now={which} onPick={setWhich} disabled={chosen.size === 0} told={plural(chosen.size, "chosen row")} />
        <Choice name="found" now={which} onPick={setWhich} disabled={!isNarrowed} told={`the ${plural(found, "row")} that are shown`} />
        <Choice name="all" now={which} onPick={setWhich} told="all rows" />
      </fieldset>
      <label>
        cells{" "}
        <select value={refill} onChange={({ target }) => setRefill(target.value as Refill | "")}>
          <option value="">as the plan says</option>
          {REFILLS.map(({ name, about }) => (
            <option key={name} value={name}>
              {about}
            </option>
          ))}
        </select>
      </label>
      <label>
        at most <input type="number" min={0} size={5} value={most} onChange={({ target }) => setMost(target.value)} /> rows
      </label>
      <label>
        spend at most <input type="number" min={0} step="any" size={6} value={spend} onChange={({ target }) => setSpend(target.value)} />{" "}
        {currency}
      </label>
      {project?.workers ? (
        <label>
          <input type="checkbox" checked={spread} onChange={({ target }) => setSpread(target.checked)} /> spread to workers
          <span className="quiet">
            {project.workers.length > 0 ? `, ${project.workers.length} of them there` : ", of whom none is there; start `yoroshi work`"}
          </span>
        </label>
      ) : null}
      <p role="status" className={isFetching ? "quiet cost" : "cost"}>
        {preview ? (
          <>
            <b>{plural(preview.asked, "row")} to ask</b>
            {preview.reused > 0 ? `, ${preview.reused} known already` : ""}
            {preview.skipped > 0 ? `, ${preview.skipped} skipped` : ""}
            {preview.held > 0 ? `, ${preview.held} held` : ""};{" "}
            {preview.priced
              ? `about ${money(preview.cost, currency)}, at most ${money(preview.dearest, currency)}`
              : `${preview.unpriced} has no price, so the cost is not known`}
            {preview.standin ? "; the offline stand-in answers, nothing is charged" : ""}
          </>
        ) : (
          "Counting …"
        )}
      </p>
      {error instanceof Error && "code" in error && error.code === "gateClosed" ? (
        <label>
          <input type="checkbox" checked={ignoreGate} onChange={({ target }) => setIgnoreGate(target.checked)} /> fill in spite of the gate
        </label>
      ) : null}
      <div className="acts">
        <button type="button" className="main-act" disabled={!preview || problem !== null} onClick={() => void go()}>
          {preview && preview.asked > 0 ? `Ask about ${plural(preview.asked, "row")}` : "Fill from what is known"}
        </button>
        <button type="button" className="act" onClick={onDone}>
          Not now
        </button>
      </div>
      <Problem error={error ?? problem} />
    </section>
  );
}

type Which = "chosen" | "found" | "all";

const Choice = ({
  name,
  now,
  told,
  disabled = false,
  onPick,
}: {
  readonly name: Which;
  readonly now: Which;
  readonly told: string;
  readonly disabled?: boolean;
  readonly onPick: (name: Which) => void;
}) => (
  <label className={disabled ? "quiet" : undefined}>
    <input type="radio" name="which" checked={now === name} disabled={disabled} onChange={() => onPick(name)} /> {told}
  </label>
);

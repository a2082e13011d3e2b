import { X } from "lucide-react";
import type { CallReport } from "yoroshi/client";
import { RemarksAt } from "../../parts/source/remarks.js";
import type { Form, Json, Source } from "../../parts/source/use-source.js";
import { NewName } from "../template/facet-field.js";
import { ConditionField } from "./condition-field.js";

type Map = Readonly<Record<string, Json>>;
type Column = CallReport<"readRows">["columns"][number];

interface Props {
  readonly source: Source;
  readonly form: Form;
  readonly plan: string;
  readonly columns: readonly Column[];
  readonly steps: readonly string[];
}

const mapAt = (form: Json | undefined, key: string): Map => {
  const found = (form as Map | undefined)?.[key];
  return typeof found === "object" && found !== null && !Array.isArray(found) ? (found as Map) : {};
};

/** What a plan says besides its steps: which cells are asked about, limits, the gate, review, whose a column is. */
export function Settings({ source, form, plan, columns, steps }: Props) {
  const limits = mapAt(form, "limits");
  const review = mapAt(form, "review");
  const hold = mapAt(review, "hold");
  const edits = mapAt(form, "edits");
  const filled = columns.filter((one) => one.filled).map(({ name }) => name);
  return (
    <>
      <section>
        <h2>Asked about, and limits</h2>
        <div className="kind-form">
          <label className="facet">
            cells
            <select
              value={String(form["refill"] ?? "")}
              onChange={({ target }) => source.setAt(["refill"], target.value === "" ? undefined : target.value)}
            >
              <option value="">as usual</option>
              <option value="blank">without a value</option>
              <option value="stale">and out of date</option>
              <option value="failed">and failed</option>
              <option value="all">all</option>
            </select>
          </label>
          {(["rows", "spend", "atOnce"] as const).map((key) => (
            <NumberField
              key={key}
              label={{ rows: "rows a run", spend: "spend a run", atOnce: "at once" }[key]}
              value={limits[key]}
              onValue={(value) => source.setAt(["limits", key], value)}
            />
          ))}
        </div>
        <RemarksAt source={source} path="limits" />
      </section>
      <section>
        <h2>Gate</h2>
        <p className="quiet">A fill is refused until a trial has shown that a part is right often enough.</p>
        <Gate source={source} form={form} steps={steps} />
      </section>
      <section>
        <h2>Review</h2>
        <p className="quiet">What waits for a person, and how many rows are looked at by chance.</p>
        {Object.entries(hold).map(([name, cel]) => (
          <div key={name} className="rule">
            <ConditionField
              label={`hold ${name}`}
              value={String(cel)}
              plan={plan}
              columns={columns}
              onValue={(next) => source.setAt(["review", "hold", name], next)}
            />
            <button
              type="button"
              className="remove"
              aria-label={`Take the rule ${name} away`}
              onClick={() => source.setAt(["review", "hold", name], undefined)}
            >
              <X size={13} aria-hidden="true" />
            </button>
          </div>
        ))}
        <NewName
          word="rule that holds"
          taken={Object.keys(hold)}
          onName={(name) => source.setAt(["review", "hold", name], `row.${filled[0] ?? "column"} == ""`)}
        />
        <div className="kind-form">
          <NumberField
            label="people who must agree"
            value={review["people"]}
            onValue={(value) => source.setAt(["review", "people"], value)}
          />
          <NumberField
            label="rows by chance"
            value={mapAt(review, "spotCheck")["rows"]}
            onValue={(value) => source.setAt(["review", "spotCheck", "rows"], value)}
          />
          <NumberField
            label="seed"
            value={mapAt(review, "spotCheck")["seed"]}
            onValue={(value) => source.setAt(["review", "spotCheck", "seed"], value)}
          />
          <NumberField
            label="released at, wrong at most"
            value={mapAt(review, "release")["wrongAtMost"]}
            onValue={(value) => source.setAt(["review", "release", "wrongAtMost"], value)}
          />
          <NumberField
            label="as sure as"
            value={mapAt(review, "release")["sure"]}
            onValue={(value) => source.setAt(["review", "release", "sure"], value)}
          />
        </div>
        <RemarksAt source={source} path="review" />
      </section>
      <section>
        <h2>Whose a column is</h2>
        <p className="quiet">What becomes of a value that a person put into a filled column.</p>
        <div className="kind-form">
          {filled.map((name) => (
            <label key={name} className="facet">
              {name}
              <select
                value={String(edits[name] ?? "")}
                onChange={({ target }) => source.setAt(["edits", name], target.value === "" ? undefined : target.value)}
              >
                <option value="">as usual: it stays</option>
                <option value="keep">keep: it stays</option>
                <option value="untilChanged">until the row changes</option>
                <option value="refuse">refuse: it is written over</option>
              </select>
            </label>
          ))}
        </div>
        <ConditionField
          label="done with (frozen)"
          value={typeof form["freeze"] === "string" ? form["freeze"] : ""}
          plan={plan}
          columns={columns}
          onValue={(cel) => source.setAt(["freeze"], cel === "" ? undefined : cel)}
        />
      </section>
    </>
  );
}

function Gate({ source, form, steps }: Pick<Props, "source" | "form" | "steps">) {
  const gate = mapAt(form, "gate");
  if (Object.keys(gate).length === 0)
    return (
      <button
        type="button"
        className="act"
        onClick={() => source.setAt(["gate"], { step: steps[0] ?? "", part: "", accuracyAtLeast: 0.75 })}
      >
        Put one up
      </button>
    );
  return (
    <div className="kind-form">
      <label className="facet">
        step
        <select value={String(gate["step"] ?? "")} onChange={({ target }) => source.setAt(["gate", "step"], target.value)}>
          {steps.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <label className="facet">
        part
        <input value={String(gate["part"] ?? "")} onChange={({ target }) => source.setAt(["gate", "part"], target.value)} />
      </label>
      <NumberField
        label="right at least (share)"
        value={gate["accuracyAtLeast"]}
        onValue={(value) => source.setAt(["gate", "accuracyAtLeast"], value)}
      />
      <button type="button" className="act" onClick={() => source.setAt(["gate"], undefined)}>
        Take it down
      </button>
      <RemarksAt source={source} path="gate" />
    </div>
  );
}

const NumberField = ({
  label,
  value,
  onValue,
}: {
  readonly label: string;
  readonly value: Json | undefined;
  readonly onValue: (value: number | undefined) => void;
}) => (
  <label className="facet">
    {label}
    <input
      type="number"
      step="any"
      min={0}
      value={typeof value === "number" ? value : ""}
      onChange={({ target }) => onValue(target.value === "" ? undefined : Number(target.value))}
    />
  </label>
);

import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { Problem, Reading } from "../../parts/problem.js";
import { Confusion, type Cell } from "./confusion.js";
import { Contestants, type TrialLine } from "./contestants.js";
import { Disagreements } from "./disagreements.js";
import { Figures } from "./figures.js";
import { RunTrial } from "./run-trial.js";
import { Verdict } from "./verdict.js";
import { WorthChart } from "./worth-chart.js";
import "./trials.css";

/** How good a template is on rows whose right answer is known: against others, and where it still goes wrong. */
export function TrialsPage() {
  const { template } = useParams({ from: "/trials/$template" });
  const { plan, run, against: chosen, part: wanted } = useSearch({ from: "/trials/$template" });
  const navigate = useNavigate({ from: "/trials/$template" });
  const { data: list, error: listError } = useReading("listTrials", {});
  const { data: project } = useReading("showProject", {});
  const [cell, setCell] = useState<Cell | undefined>();
  const lines = (list?.trials ?? []).filter((one) => one.template === template);
  const first = lines.find((one) => one.run === run) ?? newestOfNewest(lines);
  const rivals = lines.filter((one) => first && one.run !== first.run && one.file === first.file && one.sealed === first.sealed);
  const against = chosen ?? otherVersion(first, rivals);
  const { data, error } = useReading(
    "readTrial",
    { template, ...(first ? { run: first.run } : {}), against: [...against] },
    { enabled: first !== undefined, keep: true },
  );
  const part = data?.trial.parts.find((one) => one.part === wanted) ?? data?.trial.parts[0];
  const show = (next: { run?: string; against?: readonly string[]; part?: string }): void => {
    setCell(undefined);
    void navigate({ search: (before) => ({ ...before, ...next }), replace: true });
  };
  const currency = project?.currency ?? "";
  return (
    <Shell
      title={template}
      about="trials on labelled rows"
      plan={plan}
      template={template}
      station="trial"
      flows
      acts={
        <Link to="/samples/$template" params={{ template }} search={plan ? { plan } : {}} className="act">
          Label samples
        </Link>
      }
    >
      <Problem error={listError} />
      <div className="trials">
        <div className="graded">
          {first ? (
            <>
              <Contestants
                lines={[first, ...rivals]}
                against={against}
                currency={currency}
                onFirst={(next) => show({ run: next, against: [] })}
                onAgainst={(next) => show({ against: next })}
              />
              {rivals.length > 0 ? (
                <WorthChart lines={[first, ...rivals.filter((one) => against.includes(one.run))]} part={part?.part} currency={currency} />
              ) : null}
            </>
          ) : list ? (
            <p className="quiet">Nobody has tried {template} on labelled rows yet. Label some, then run a trial.</p>
          ) : (
            <Reading what="the trials" />
          )}
          <Problem error={error} />
          {data && part ? (
            <>
              {data.trial.parts.length > 1 ? (
                <div className="acts" role="group" aria-label="Which part">
                  {data.trial.parts.map((one) => (
                    <button
                      key={one.part}
                      type="button"
                      className="act"
                      aria-pressed={one.part === part.part}
                      onClick={() => show({ part: one.part })}
                    >
                      {one.part}
                    </button>
                  ))}
                </div>
              ) : null}
              <Confusion part={part} cell={cell} onCell={setCell} />
              <Disagreements template={template} trial={data.trial} part={part} cell={cell} onAll={() => setCell(undefined)} />
              <Figures trial={data.trial} />
            </>
          ) : null}
        </div>
        <aside className="verdict" aria-label="What may be concluded">
          {data ? <Verdict data={data} /> : null}
          <RunTrial template={template} plan={plan} currency={currency} onRun={() => show({})} />
        </aside>
      </div>
    </Shell>
  );
}

/** The newest trial of the newest version that was tried, on the samples that are not sealed. */
const newestOfNewest = (lines: readonly TrialLine[]): TrialLine | undefined => {
  const open = lines.filter(({ sealed }) => !sealed);
  const version = Math.max(...open.map((one) => one.version));
  return open.find((one) => one.version === version) ?? lines[0];
};

/** By habit a trial is held against the newest one of another version. */
const otherVersion = (first: TrialLine | undefined, rivals: readonly TrialLine[]): string[] => {
  const other = rivals.find((one) => one.version !== first?.version);
  return other ? [other.run] : [];
};

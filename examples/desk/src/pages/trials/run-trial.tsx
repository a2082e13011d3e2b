import { useEffect, useRef, useState, type FormEvent } from "react";
import { didAct } from "../../app/acts.js";
import { queries, server, UNDER_WAY, useReading, useUnderWay } from "../../app/server.js";
import { Problem } from "../../parts/problem.js";

interface Props {
  readonly template: string;
  readonly plan: string | undefined;
  readonly currency: string;
  readonly onRun: () => void;
}

/** Runs a trial: of today's file or a version, against others, several times a row, told apart by columns. */
export function RunTrial({ template, currency, onRun }: Props) {
  const { data: versions } = useReading("listVersions", { template });
  const { data: project } = useReading("showProject", {});
  const { data: runs = [] } = useUnderWay();
  const [version, setVersion] = useState("");
  const [against, setAgainst] = useState<readonly string[]>([]);
  const [other, setOther] = useState("");
  const [asks, setAsks] = useState("1");
  const [slices, setSlices] = useState("");
  const [spend, setSpend] = useState("");
  const [sealed, setSealed] = useState(false);
  const [suggest, setSuggest] = useState(false);
  const [problem, setProblem] = useState<unknown>();
  const mine = useRef<string | undefined>(undefined);
  const run = runs.find(({ id }) => id === mine.current);
  useEffect(() => {
    if (run?.endedAt === undefined) return;
    mine.current = undefined;
    void queries.invalidateQueries({ queryKey: ["listTrials"] });
    onRun();
    // Once, when it ends.
  }, [run?.endedAt]);
  const toggle = (name: string, on: boolean): void => setAgainst(on ? [...against, name] : against.filter((one) => one !== name));
  const send = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    setProblem(undefined);
    try {
      const begun = await server.trialTemplate({
        template,
        ...(version === "" ? {} : { version: Number(version) }),
        ...(against.length > 0 || other.trim() ? { against: [...against, ...(other.trim() ? [other.trim()] : [])] } : {}),
        ...(asks === "1" ? {} : { asks: Number(asks) }),
        ...(slices.trim() ? { slices: slices.split(",").map((one) => one.trim()) } : {}),
        ...(spend === "" ? {} : { spend: Number(spend) }),
        ...(sealed ? { sealed } : {}),
        ...(suggest ? { suggest } : {}),
      });
      mine.current = begun.id;
      queries.setQueryData(UNDER_WAY, (all: readonly object[] = []) => [begun, ...all]);
      didAct({ says: `The trial of ${template} goes on, also when this page is closed.` });
    } catch (error) {
      setProblem(error);
    }
  };
  const all = versions?.versions ?? [];
  return (
    <form className="run-trial" onSubmit={(event) => void send(event)}>
      <h2>Run a trial</h2>
      <label>
        of{" "}
        <select value={version} onChange={({ target }) => setVersion(target.value)}>
          <option value="">today's file</option>
          {all.map((one) => (
            <option key={one.version} value={one.version}>
              version {one.version}
            </option>
          ))}
        </select>
      </label>
      <fieldset>
        <legend>against</legend>
        {all
          .filter((one) => !one.current)
          .map((one) => (
            <label key={one.version}>
              <input
                type="checkbox"
                checked={against.includes(String(one.version))}
                onChange={({ target }) => toggle(String(one.version), target.checked)}
              />{" "}
              version {one.version}
            </label>
          ))}
        {(project?.models ?? []).map((one) => (
          <label key={one.name}>
            <input
              type="checkbox"
              checked={against.includes(`model=${one.name}`)}
              onChange={({ target }) => toggle(`model=${one.name}`, target.checked)}
            />{" "}
            the model {one.name}
          </label>
        ))}
        <label>
          or <input value={other} placeholder="temperature=0.5, another template" onChange={({ target }) => setOther(target.value)} />
        </label>
      </fieldset>
      <label>
        each row asked <input type="number" min={1} max={20} value={asks} onChange={({ target }) => setAsks(target.value)} /> times
      </label>
      <label>
        told apart by <input value={slices} placeholder="vessel, month:loggedOn" onChange={({ target }) => setSlices(target.value)} />
      </label>
      <label>
        spend at most <input type="number" min={0} step="any" value={spend} onChange={({ target }) => setSpend(target.value)} /> {currency}
      </label>
      <label>
        <input type="checkbox" checked={sealed} onChange={({ target }) => setSealed(target.checked)} /> the sealed samples; each look is
        counted
      </label>
      <label>
        <input type="checkbox" checked={suggest} onChange={({ target }) => setSuggest(target.checked)} /> have the model suggest better
        wording, and try that
      </label>
      <button type="submit" className="main-act" disabled={run !== undefined && run.endedAt === undefined}>
        {run && run.endedAt === undefined ? "It goes on …" : "Run it"}
      </button>
      <Problem error={problem ?? (run?.error ? new Error(run.error.message) : undefined)} />
    </form>
  );
}

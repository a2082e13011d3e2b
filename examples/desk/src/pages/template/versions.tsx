import { useState } from "react";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { Problem, Reading } from "../../parts/problem.js";
import { plural, when } from "../../parts/words.js";
import type { Source } from "../../parts/source/use-source.js";
import { DiffLines } from "./tries.js";

/** A template's versions: what each changed, which is approved for work; an earlier one can come back. */
export function Versions({ template, source }: { readonly template: string; readonly source: Source }) {
  const { data, error } = useReading("listVersions", { template });
  const [shown, setShown] = useState<number | undefined>();
  if (!data) return error ? <Problem error={error} /> : <Reading what="versions" />;
  const approve = async (version: number): Promise<void> => {
    try {
      await server.approveVersion({ template, version });
      await queries.invalidateQueries();
      didAct({ says: `Version ${version} is approved; steps with version: approved keep to it.` });
    } catch (problem) {
      failed(problem);
    }
  };
  const restore = async (version: number): Promise<void> => {
    const before = source.text;
    try {
      await server.restoreTemplate({ template, version });
      await queries.invalidateQueries();
      didAct({
        says: `${template} is as version ${version} was.`,
        undo: async () => {
          const { mark } = await server.readTemplateSource({ name: template });
          await server.saveTemplateSource({ name: template, text: before, was: mark, withMistakes: true });
          await queries.invalidateQueries();
        },
      });
    } catch (problem) {
      failed(problem);
    }
  };
  return (
    <ol className="versions">
      {[...data.versions].reverse().map(({ version, current, firstSeen, change, trials, approved }) => (
        <li key={version}>
          <p>
            <b>version {version}</b>
            {current ? " is today's file" : ""} <small className="quiet">{when(firstSeen)}</small>
          </p>
          <small className="quiet">
            {change ? `+${change.added} −${change.removed} lines: ${change.keys.join(", ")}` : "the first"}
            {trials > 0 ? `; ${plural(trials, "trial")}` : ""}
          </small>
          {approved ? (
            <small>
              approved by {approved.by}, {when(approved.at)}
            </small>
          ) : null}
          <div className="acts">
            {change ? (
              <button
                type="button"
                className="act"
                aria-expanded={shown === version}
                onClick={() => setShown(shown === version ? undefined : version)}
              >
                What changed
              </button>
            ) : null}
            {approved ? null : (
              <button type="button" className="act" onClick={() => void approve(version)}>
                Approve
              </button>
            )}
            {current ? null : (
              <button type="button" className="act" disabled={source.isDirty} onClick={() => void restore(version)}>
                Bring it back
              </button>
            )}
          </div>
          {shown === version ? <Difference template={template} version={version} /> : null}
        </li>
      ))}
    </ol>
  );
}

function Difference({ template, version }: { readonly template: string; readonly version: number }) {
  const { data, error } = useReading("compareVersion", { template, version });
  if (!data) return error ? <Problem error={error} /> : <Reading what="what changed" />;
  return <DiffLines parts={data.parts.filter(({ added, removed }) => added || removed)} />;
}

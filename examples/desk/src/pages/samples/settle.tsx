import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { queries, server } from "../../app/server.js";
import { plural } from "../../parts/words.js";

type Settled = CallReport<"settleSamples">;

/** Brings the labels of several people together; keeps a share of the samples for the last word. */
export function Settle({ file, template }: { readonly file: string; readonly template: string }) {
  const [settled, setSettled] = useState<Settled | undefined>();
  const [share, setShare] = useState("30");
  const [isSure, setSure] = useState(false);
  const settle = async (): Promise<void> => {
    try {
      const found = await server.settleSamples({ file, template });
      setSettled(found);
      await queries.invalidateQueries({ queryKey: ["readLabels"] });
      didAct({ says: `${plural(found.taken, "value")} on which ${found.people.join(" and ")} agree were taken.` });
    } catch (problem) {
      failed(problem);
    }
  };
  const decide = async (row: number, part: string, value: string): Promise<void> => {
    try {
      await server.labelRow({ file, template, row, values: { [part]: value } });
      await settle();
    } catch (problem) {
      failed(problem);
    }
  };
  const seal = async (): Promise<void> => {
    setSure(false);
    try {
      const { sealed } = (await server.sealSamples({ file, share: Number(share) / 100 })) as { sealed?: number };
      didAct({ says: `${sealed ?? share + " % of the"} rows are sealed: trials leave them alone until they are told to look.` });
      await queries.invalidateQueries();
    } catch (problem) {
      failed(problem);
    }
  };
  return (
    <>
      <section className="draw">
        <h3>Several people</h3>
        <button type="button" className="act" onClick={() => void settle()}>
          Bring their labels together
        </button>
        {settled ? (
          <>
            <p className="quiet">
              {settled.taken} taken, {settled.stood} stood, {settled.disputes.length} for a third pass.
            </p>
            {settled.disputes.slice(0, 10).map(({ row, part, said, inputs }) => (
              <article key={`${row} ${part}`}>
                <p>{Object.values(inputs).join(" · ").slice(0, 200)}</p>
                <div className="acts">
                  {[...new Set(Object.values(said))].map((value) => (
                    <button key={value} type="button" className="act" onClick={() => void decide(row, part, value)}>
                      {part} is {value}
                    </button>
                  ))}
                </div>
              </article>
            ))}
          </>
        ) : null}
      </section>
      <section className="draw">
        <h3>The last word</h3>
        <p className="quiet">
          Sealed samples are left alone by trials, so that what shapes the template cannot wear them out. A seal stays.
        </p>
        <label>
          seal <input type="number" min={5} max={90} value={share} onChange={({ target }) => setShare(target.value)} /> % of them
        </label>
        {isSure ? (
          <button type="button" className="act" onClick={() => void seal()}>
            Yes, seal {share} % for good
          </button>
        ) : (
          <button type="button" className="act" onClick={() => setSure(true)}>
            Seal …
          </button>
        )}
      </section>
    </>
  );
}

import { Link } from "@tanstack/react-router";
import type { CallReport } from "yoroshi/client";
import { EvidenceOf } from "../../parts/evidence.js";

type Told = CallReport<"reportPlan">["evidence"];

/** How the words were found that carry parts of answers, and some of them, marked in their text. */
export function EvidenceSection({ plan, evidence }: { readonly plan: string; readonly evidence: Told }) {
  return (
    <section className="column">
      <h2>The words that carry the answers</h2>
      <div className="scrolls">
        <table className="contestants">
          <thead>
            <tr>
              {["part", "answers", "at once", "after the mend", "never"].map((name, index) => (
                <th key={name} scope="col" className={index === 0 ? undefined : "n"}>
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {evidence.map(({ step, part, ...figures }) => (
              <tr key={`${step} ${part}`}>
                <th scope="row">{part}</th>
                {[figures.answers, figures.atOnce, figures.mended, figures.never].map((figure, index) => (
                  <td key={index} className="n fig">
                    {figure.toLocaleString("en")}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {evidence.flatMap(({ step, passages }) =>
        passages.map(({ key, value, evidence: words }) => (
          <EvidenceOf key={`${step} ${words.part} ${key}`} evidence={words}>
            {value}{" "}
            <Link to="/table/$plan" params={{ plan }} search={{ row: key }}>
              {key}
            </Link>
          </EvidenceOf>
        )),
      )}
    </section>
  );
}

/** The sections of a report that go into rows: slices, confidence, steadiness, what disagrees, what to do about it. */
import { barrenLegwork, type EvidenceFigures, type TrialReport } from "../../core/index.js";
import { intervalChart, reliabilityChart } from "./charts.js";
import { html, type Html } from "./html.js";
import { table } from "./page.js";
import { percent, figure } from "./words.js";

export function slices({ slices: all, parts }: TrialReport): Html | undefined {
  if (all.length === 0) return undefined;
  const groups = [...new Set(all.map(({ by, part }) => JSON.stringify([by, part])))].map((key) => JSON.parse(key) as [string, string]);
  return html`<h2>Slices</h2>
    ${groups.map(([by, part]) => {
      const own = all.filter((slice) => slice.by === by && slice.part === part);
      const odd = own.filter((slice) => slice.standsOut);
      const rows = own.map((slice) => ({
        name: `${slice.value} (${slice.rows})`,
        value: slice.accuracy,
        ...slice.interval,
        marked: slice.standsOut,
      }));
      return html`<figure>
        ${intervalChart(rows, `Accuracy of ${part} by ${by}`, parts.find((grade) => grade.part === part)?.accuracy ?? undefined)}
        <figcaption>
          <b>${part}</b> by ${by}, smallest first; the dotted line is all rows.
          ${odd.length === 0 ? "None differs from the rest beyond chance." : html`<span class="differs">${odd.map((slice) => `${slice.value} differs from the rest beyond chance (${percent(slice.accuracy)} against ${percent(slice.rest)})`).join("; ")}.</span>`}
        </figcaption>
      </figure>`;
    })}`;
}

export function confidence({ confidence: all }: TrialReport): Html | undefined {
  if (all.length === 0) return undefined;
  return html`<h2>How far its confidence can be trusted</h2>
    <div class="pair">
      ${all.map(
        ({ part, bins, brier, calibrationError, threshold, reach }) =>
          html`<figure>
            ${reliabilityChart(bins, `Reliability of ${part}`)}
            <figcaption>
              <b>${part}</b>: Brier score ${figure(brier)}, expected calibration error ${figure(calibrationError)}.
              ${threshold ? `From ${threshold.threshold.toFixed(2)} on, ${percent(threshold.accuracy)} are right; ${percent(threshold.toPerson)} of the rows would go to a person.` : `No threshold reaches ${percent(reach)}.`}
            </figcaption>
          </figure>`,
      )}
    </div>`;
}

export function steadiness({ steadiness: all }: TrialReport): Html | undefined {
  if (all.length === 0) return undefined;
  return html`<h2>Steadiness</h2>
    <p>Each row was asked ${all[0]!.asks} times.</p>
    ${table(
      ["part", ["n", "same each time"], ["n", "Fleiss' kappa"], "least steady rows"],
      all.map((one) => [
        one.part,
        percent(one.same),
        figure(one.kappa),
        one.least.map(({ id, answers }) => `${id}: ${answers.join(", ")}`).join("; ") || "none",
      ]),
    )}`;
}

export const evidence = ({ evidence: all = [] }: TrialReport): Html | undefined =>
  all.length === 0
    ? undefined
    : html`<h2>Evidence</h2>
        ${evidenceTable(all)}`;

/** How often the words were found that carry parts. */
export function evidenceTable(all: readonly EvidenceFigures[]): Html {
  const share = (count: number, of: number, { low, high }: { readonly low: number; readonly high: number }): string =>
    of === 0 ? "–" : `${count} (${percent(low)} to ${percent(high)})`;
  return html`<p>Whether the words that were given for a part stand in the row, letter by letter.</p>
    ${table(
      ["part", ["n", "answers"], ["n", "at once"], ["n", "after the mend"], ["n", "never"]],
      all.map(({ part, answers, atOnce, mended, never, atOnceInterval, neverInterval }) => [
        part,
        String(answers),
        share(atOnce, answers, atOnceInterval),
        String(mended),
        share(never, answers, neverInterval),
      ]),
    )}`;
}

export function judged({ judged: all }: TrialReport): Html | undefined {
  if (all.length === 0) return undefined;
  return html`<h2>Texts judged by another template</h2>
    ${all.map((one) => html`<p><b>${one.part}</b>, judged by ${one.template} (version ${one.version}): ${one.good} of ${one.rows} found good, ${percent(one.rows === 0 ? null : one.good / one.rows)} (${percent(one.interval.low)} to ${percent(one.interval.high)})${one.meanScore === undefined ? "" : `, mean score ${one.meanScore.toFixed(2)}`}. A judge is to be trusted as far as its own trial against people shows.</p>`)}`;
}

export function disagreements({ disagreements: all, parts }: TrialReport): Html | undefined {
  if (all.length === 0)
    return html`<h2>Rows that disagree</h2>
      <p>None.</p>`;
  return html`<h2>Rows that disagree</h2>
    <p class="filter">
      <label>Words <input id="words" type="search" /></label
      ><label
        >Part
        <select id="part">
          <option value="">all</option>
          ${parts.map(({ part }) => html`<option>${part}</option>`)}
        </select></label
      ><span id="count" class="quiet" role="status"></span>
    </p>
    ${table(
      ["row", "part", "right", "answered", "the model's reason", ...(all.some(({ words }) => words) ? ["the words that carry it"] : [])],
      all.map((one) => [
        one.id,
        one.part,
        one.truth,
        one.answer ?? "(none)",
        one.why ?? "",
        ...(all.some(({ words }) => words)
          ? [one.words ? html`${one.words.before}<mark>${one.words.quote}</mark>${one.words.behind}` : ""]
          : []),
      ]),
      { id: "disagreements", parts: all.map(({ part }) => part) },
    )}`;
}

export function advice({ advice: { confused, labels } }: TrialReport): Html | undefined {
  if (confused.length === 0 && labels.length === 0) return undefined;
  return html`<h2>What to look at</h2>
    ${
      confused.length > 0 &&
      html`<h3>Values taken for each other most</h3>
        ${table(
          ["part", "right", "answered", ["n", "rows"], "words of these rows"],
          confused.map((one) => [one.part, one.right, one.answered, one.rows, one.words.join(", ")]),
        )}`
    }${
      labels.length > 0 &&
      html`<h3>Labels that may be mistakes</h3>
        ${table(
          ["row", "part", "label", "answer", "why"],
          labels.map((one) => [one.id, one.part, one.label, one.answer, one.why]),
        )}`
    }`;
}

export function leftOut({ unfit, samples }: TrialReport): Html | undefined {
  if (unfit.length === 0) return undefined;
  const barren = barrenLegwork(samples, unfit);
  return html`<h2>Left out</h2>
    ${barren !== undefined && html`<p>${barren}</p>`}
    ${table(
      ["row", "what", "why"],
      unfit.map((one) => [one.id, one.what, one.near ? `${one.problem} (is ${one.near} meant?)` : one.problem]),
    )}`;
}

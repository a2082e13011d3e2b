import {
  conclusion,
  formatMoney,
  joinWords,
  plural,
  rowsForHalfWidth,
  type Contest,
  type Contestant,
  type PartGrade,
  type TrialReport,
} from "../../core/index.js";
import { confusionChart, intervalChart, scatterChart } from "./charts.js";
import { Html, html } from "./html.js";
import { SCRIPT, STYLE } from "./style.js";
import { slices, confidence, steadiness, judged, disagreements, advice, leftOut } from "./sections.js";
import { percent, figure } from "./words.js";

/** All that a report shows. */
export interface TrialPage {
  readonly report: TrialReport;
  readonly first: Contestant;
  readonly others: readonly Contestant[];
  readonly contest?: Contest | undefined;
  readonly currency: string;
  /** When the trial was made, for people: `2026-08-03 08:15 UTC`. */
  readonly madeAt: string;
  /** Half-width of an interval, as a share, for which the report says how many rows are needed. */
  readonly halfWidth: number;
  readonly isStandin: boolean;
}

/** One self-contained HTML file about a trial: no network, readable by day, at night and in print. */
export function trialPage(page: TrialPage): string {
  const { report } = page;
  const title = `Trial of ${report.template}, version ${report.version}`;
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>${title}</title>
        <style>
          ${new Html(STYLE)}
        </style>
      </head>
      <body>
        <main>
          <h1>${title}</h1>
          <p class="quiet">
            ${plural(report.samples, report.sealed.graded ? "sealed sample" : "sample")} of ${report.file}, model ${report.model},
            ${page.madeAt}.${page.isStandin ? " Answered by the offline stand-in, not by a language model." : ""}
          </p>
          ${verdict(page)}
          <h2>How often it is right</h2>
          ${report.parts.map((part) => accuracyFigure(part, page))} ${contestants(page)} ${figures(report.parts)}
          ${report.parts.map(partCharts)} ${slices(report)} ${confidence(report)} ${steadiness(report)} ${judged(report)}
          ${disagreements(report)} ${advice(report)} ${leftOut(report)}
          <h2>How to read this</h2>
          <p class="quiet">
            Shares have 95 % Wilson intervals; differences between contestants Newcombe's interval for the same rows and McNemar's exact
            test, adjusted by Holm where several are compared; other figures bootstrap intervals (2,000 resamples, percentile). Rows without
            an answer count as wrong. A ratio with nothing below the line is 0; an agreement or correlation that is not defined is “–”.
            Slices are held against the rest by Fisher's exact test, adjusted for their number.
          </p>
        </main>
        <script>
          ${new Html(SCRIPT)};
        </script>
      </body>
    </html> `.source;
}

function verdict({ report, contest, halfWidth }: TrialPage): Html {
  const compared = (contest?.against ?? []).flatMap(({ name, parts }) =>
    parts.map((part, index) => {
      const kind = part.beyondChance ? (part.difference > 0 ? "better" : "worse") : "";
      return html`${index === 0 && html`<h3>Against ${name}</h3>`}
        <p>
          <b>${part.part}</b>: <span class="${kind}">${conclusion(contest!.first, name, part)}</span>
          <span class="quiet">(${part.won} rows won, ${part.lost} lost of ${part.rows})</span>
        </p>`;
    }),
  );
  const needed = report.parts
    .filter((part) => part.accuracy !== null)
    .map((part) => ({ part: part.part, more: rowsForHalfWidth(part.accuracy!, halfWidth) - part.graded }))
    .filter(({ more }) => more > 0);
  const precision =
    needed.length === 0
      ? `Every interval is within ±${(halfWidth * 100).toFixed(0)} points.`
      : `For intervals of ±${(halfWidth * 100).toFixed(0)} points: ${needed.map(({ part, more }) => `${part} needs ${more} more rows`).join(", ")}.`;
  const asides = [
    ...report.agreement.map(
      ({ part, labellers, rows, same, kappa, undecided }) =>
        `${joinWords(labellers)} agree on ${part} in ${percent(same)} of ${rows} rows${kappa === null ? "" : ` (Fleiss' kappa ${kappa.toFixed(2)})`}${undecided > 0 ? `; ${undecided} are undecided and not graded` : ""}.`,
    ),
    ...(report.examples.length > 0
      ? [`${plural(report.examples.length, "row")} of the file stand in the template as examples and are not graded.`]
      : []),
    ...(report.sealed.graded
      ? [`This was look ${report.sealed.looks} at the sealed samples.`]
      : report.sealed.rows > 0
        ? [`${plural(report.sealed.rows, "sealed row")} left alone; looked at ${plural(report.sealed.looks, "time")} so far.`]
        : []),
  ];
  return html`<div class="verdict">
    ${compared.length > 0 && html`<p>What may be concluded, on the same rows:</p>`}${compared.length > 0 ? compared : html`<p>Nothing to compare with yet.</p>`}
    <hr />
    <p>${precision}</p>
    ${asides.map((line) => html`<p class="quiet">${line}</p>`)}
  </div>`;
}

function accuracyFigure(part: PartGrade, { first, others }: TrialPage): Html {
  const rows = [first, ...others].flatMap(({ name, parts }) => {
    const grade = parts.find((one) => one.part === part.part);
    return grade && grade.accuracy !== null ? [{ name, value: grade.accuracy, ...grade.interval }] : [];
  });
  if (rows.length === 0) return html`<p>${part.part}: nothing was graded.</p>`;
  return html`<figure>
    ${intervalChart(rows, `Accuracy of ${part.part} with 95 % intervals: ${rows.map(({ name, value }) => `${name} ${percent(value)}`).join(", ")}`)}
    <figcaption>
      <b>${part.part}</b>, share of right answers with 95 % intervals; ${part.right} of ${part.graded}
      rows${part.unanswered > 0 ? `, ${part.unanswered} without an answer` : ""}
    </figcaption>
  </figure>`;
}

function contestants({ first, others, currency, report }: TrialPage): Html | undefined {
  if (others.length === 0) return undefined;
  return html`<div class="wide">
    <table>
      <thead>
        <tr>
          <th>contestant</th>
          ${report.parts.map(({ part }) => html`<th class="n">${part}</th>`)}
          <th class="n">cost of a thousand rows</th>
          <th class="n">waiting, a thousand rows</th>
        </tr>
      </thead>
      <tbody>
        ${[first, ...others].map(
          (one) =>
            html`<tr>
              <td>${one.name}</td>
              ${report.parts.map(({ part }) => html`<td class="n">${percent(one.parts.find((grade) => grade.part === part)?.accuracy)}</td>`)}
              <td class="n">${one.costPerThousand === undefined ? "–" : formatMoney(one.costPerThousand, currency)}</td>
              <td class="n">${one.msPerThousand === undefined ? "–" : `${(one.msPerThousand / 1000).toFixed(0)} s`}</td>
            </tr>`,
        )}
      </tbody>
    </table>
  </div>`;
}

function figures(parts: readonly PartGrade[]): Html | undefined {
  const lines = parts.flatMap((part) => {
    const line = (name: string, value: number | null | undefined, key?: string): Html[] => {
      if (value === undefined) return [];
      const interval = key === undefined ? undefined : part.intervals?.[key];
      return [
        html`<tr>
          <td>${part.part}</td>
          <td>${name}</td>
          <td class="n">${figure(value)}</td>
          <td class="n">${interval ? `${figure(interval.low)} to ${figure(interval.high)}` : ""}</td>
        </tr>`,
      ];
    };
    const { classes, numbers, sets, texts } = part;
    return [
      ...(numbers
        ? [
            line("mean absolute error", numbers.meanAbsoluteError, "meanAbsoluteError"),
            line("root mean square error", numbers.rootMeanSquareError),
            line("bias", numbers.bias, "bias"),
            line("Spearman", numbers.spearman),
            line("Kendall's tau-b", numbers.kendall),
            line("kappa, linear weights", numbers.linearKappa),
            line("kappa, quadratic weights", numbers.quadraticKappa, "quadraticKappa"),
            line(`within ${numbers.within}`, numbers.near),
          ]
        : []),
      ...(classes && !numbers
        ? [
            line("macro F1", classes.macro.f1, "macroF1"),
            ...(classes.macroLabelled && classes.macroLabelled.f1 !== classes.macro.f1
              ? [line("macro F1 of labelled options", classes.macroLabelled.f1)]
              : []),
            line("micro F1", classes.micro.f1),
            line("weighted F1", classes.weighted.f1),
            line("balanced accuracy", classes.balancedAccuracy, "balancedAccuracy"),
            line("Cohen's kappa", classes.kappa, "kappa"),
            line("Matthews", classes.matthews),
          ]
        : []),
      ...(sets
        ? [
            line("exact", sets.exact),
            line("Jaccard", sets.jaccard, "jaccard"),
            line("micro F1", sets.microF1, "microF1"),
            line("macro F1", sets.macroF1),
            line("Hamming loss", sets.hammingLoss),
          ]
        : []),
      ...(texts
        ? [
            line("ROUGE-1", texts.rouge1),
            line("ROUGE-2", texts.rouge2),
            line("ROUGE-L", texts.rougeL, "rougeL"),
            line("edit similarity", texts.editSimilarity),
          ]
        : []),
    ].flat();
  });
  if (lines.length === 0) return undefined;
  return html`<h2>Further figures</h2>
    <div class="wide">
      <table>
        <thead>
          <tr>
            <th>part</th>
            <th>figure</th>
            <th class="n">value</th>
            <th class="n">95 % interval</th>
          </tr>
        </thead>
        <tbody>
          ${lines}
        </tbody>
      </table>
    </div>`;
}

function partCharts(part: PartGrade): Html | undefined {
  const { confusion, classes, points } = part;
  if (!confusion && !points) return undefined;
  const scatter =
    points && points.length > 0 && new Set(points.map(([truth]) => truth)).size > 1
      ? html`<figure>
          ${scatterChart(points, `Answers against right values of ${part.part}`)}
          <figcaption>Answers against right values; on the dotted line both are the same</figcaption>
        </figure>`
      : undefined;
  return html`<h2>${part.part}</h2>
    <div class="pair">
      ${
        confusion && confusion.labels.length > 1
          ? html`<figure>
              ${confusionChart(confusion, `Confusion of ${part.part}: right values down, answers across`)}
              <figcaption>Right value down, answer across; the shade is the share of the row</figcaption>
            </figure>`
          : undefined
      }${scatter}
    </div>
    ${classes && !part.numbers ? classTable(classes) : undefined}`;
}

function classTable(classes: NonNullable<PartGrade["classes"]>): Html {
  return html`<div class="wide">
    <table>
      <thead>
        <tr>
          <th>value</th>
          <th class="n">precision</th>
          <th class="n">recall</th>
          <th class="n">F1</th>
          <th class="n">rows</th>
        </tr>
      </thead>
      <tbody>
        ${classes.classes.map(
          (one) =>
            html`<tr>
              <td>${one.label}</td>
              <td class="n">${percent(one.precision)}</td>
              <td class="n">${percent(one.recall)}</td>
              <td class="n">${percent(one.f1)}</td>
              <td class="n">${one.support}</td>
            </tr>`,
        )}
      </tbody>
    </table>
  </div>`;
}

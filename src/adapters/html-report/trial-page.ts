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
import { html, type Html } from "./html.js";
import { reportPage, table } from "./page.js";
import { SCRIPT } from "./style.js";
import { slices, confidence, evidence, steadiness, judged, disagreements, advice, leftOut } from "./sections.js";
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
  const body = html`<p class="quiet">
      ${plural(report.samples, report.sealed.graded ? "sealed sample" : "sample")} of ${report.file}, model ${report.model},
      ${page.madeAt}.${page.isStandin ? " Answered by the offline stand-in, not by a language model." : ""}
    </p>
    ${verdict(page)}
    <h2>How often it is right</h2>
    ${report.parts.map((part) => accuracyFigure(part, page))} ${contestants(page)} ${figures(report.parts)} ${report.parts.map(partCharts)}
    ${slices(report)} ${confidence(report)} ${steadiness(report)} ${evidence(report)} ${judged(report)} ${disagreements(report)}
    ${advice(report)} ${leftOut(report)}
    <h2>How to read this</h2>
    <p class="quiet">
      Shares have 95 % Wilson intervals; differences between contestants Newcombe's interval for the same rows and McNemar's exact test,
      adjusted by Holm where several are compared; other figures bootstrap intervals (2,000 resamples, percentile). Rows without an answer
      count as wrong. A ratio with nothing below the line is 0; an agreement or correlation that is not defined is “–”. Slices are held
      against the rest by Fisher's exact test, adjusted for their number.
    </p>`;
  return reportPage({ title, script: SCRIPT, body });
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
  return table(
    [
      "contestant",
      ...report.parts.map(({ part }) => ["n", part] as const),
      ["n", "cost of a thousand rows"],
      ["n", "waiting, a thousand rows"],
    ],
    [first, ...others].map((one) => [
      one.name,
      ...report.parts.map(({ part }) => percent(one.parts.find((grade) => grade.part === part)?.accuracy)),
      one.costPerThousand === undefined ? "–" : formatMoney(one.costPerThousand, currency),
      one.msPerThousand === undefined ? "–" : `${(one.msPerThousand / 1000).toFixed(0)} s`,
    ]),
  );
}

function figures(parts: readonly PartGrade[]): Html | undefined {
  const lines = parts.flatMap((part) => {
    const line = (name: string, value: number | null | undefined, key?: string): string[][] => {
      if (value === undefined) return [];
      const interval = key === undefined ? undefined : part.intervals?.[key];
      return [[part.part, name, figure(value), interval ? `${figure(interval.low)} to ${figure(interval.high)}` : ""]];
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
    ${table(["part", "figure", ["n", "value"], ["n", "95 % interval"]], lines)}`;
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
  return table(
    ["value", ["n", "precision"], ["n", "recall"], ["n", "F1"], ["n", "rows"]],
    classes.classes.map((one) => [one.label, percent(one.precision), percent(one.recall), percent(one.f1), one.support]),
  );
}

import { joinWords, plural } from "../../core/ground/index.js";
import { barrenLegwork, conclusion, rowsForHalfWidth, type TrialContestant, type TrialTemplateReport } from "../../jobs/index.js";
import { bad, cut, duration, good, heading, money, out, percent, quiet, table, warn } from "./print.js";

type PartGrade = TrialTemplateReport["parts"][number];
type Contest = NonNullable<TrialTemplateReport["contest"]>;
type PartComparison = Contest["against"][number]["parts"][number];

const SHOWN = 8;
const SHOWN_SLICES = 14;

export interface TrialLook {
  readonly currency: string;
  /** Every disagreement and slice instead of the first ones. */
  readonly all: boolean;
  /** Half-width of an interval, as a share, for which the report says how many rows are needed. */
  readonly halfWidth: number;
}

/** The whole report of a trial for a terminal of 100 columns. */
export function printTrial(report: TrialTemplateReport, look: TrialLook): void {
  out(
    heading(`Trial of ${report.template}, version ${report.version}`) +
      quiet(`  ${plural(report.samples, report.sealed.graded ? "sealed sample" : "sample")} of ${report.file}, model ${report.model}`),
  );
  out(
    table(
      ["part", "right", "accuracy", "95 % interval", ""],
      report.parts.map((part) => partLine(part)),
      { right: [1, 2] },
    ),
  );
  out(quiet(`  ${rowsNeeded(report, look.halfWidth)}`));
  for (const line of asides(report)) out(quiet(`  ${line}`));
  printFigures(report.parts);
  for (const part of report.parts) printConfusion(part);
  printSlices(report, look.all);
  printSteadiness(report);
  printConfidence(report);
  for (const { part, template, version, rows, good: found, interval, meanScore } of report.judged) {
    out(`\n${heading(`${part}, judged by ${template}`)}  ${quiet(`version ${version}`)}`);
    out(
      `  ${found} of ${rows} found good, ${percent(rows === 0 ? null : found / rows)} (${percent(interval.low)} to ${percent(interval.high)})${meanScore === undefined ? "" : `, mean score ${meanScore.toFixed(2)}`}. ${quiet(`How far to trust the judge: yoroshi trial ${template}`)}`,
    );
  }
  printEvidenceFigures(report);
  printSecondLook(report);
  printDisagreements(report, look.all);
  printAdvice(report);
  const barren = barrenLegwork(report.samples, report.unfit);
  if (barren !== undefined) out(`\n${warn(barren)}`);
  if (report.unfit.length > 0) {
    out(`\n${warn(`${plural(report.unfit.length, "label or row", "labels or rows")} left out:`)}`);
    out(
      table(
        ["row", "what", "why"],
        report.unfit.map(({ id, what, problem, near }) => [id, what, near ? `${problem} (is \`${near}\` meant?)` : problem]),
        { width: { 2: 74 } },
      ),
    );
  }
  const answers = `${report.asked} asked, ${report.reused} known`;
  out(
    `\n${quiet(`${answers} · ${money(report.spent, look.currency)} now, ${money((report.worth / Math.max(1, report.samples)) * 1000, look.currency)} a thousand rows · ${duration(report.tookMs)}`)}`,
  );
}

function partLine(part: PartGrade): string[] {
  const { low, high } = part.interval;
  const { numbers } = part;
  const extra = [
    part.unanswered > 0 ? `${part.unanswered} without an answer` : "",
    numbers ? `mean error ${numbers.meanAbsoluteError.toFixed(2)}` : "",
  ].filter(Boolean);
  return [part.part, `${part.right} of ${part.graded}`, percent(part.accuracy), `${percent(low)} to ${percent(high)}`, extra.join(", ")];
}

function rowsNeeded({ parts }: TrialTemplateReport, halfWidth: number): string {
  const needed = parts
    .filter((part) => part.accuracy !== null)
    .map((part) => ({ part: part.part, more: rowsForHalfWidth(part.accuracy!, halfWidth) - part.graded }));
  const more = needed.filter((one) => one.more > 0);
  const width = `±${(halfWidth * 100).toFixed(0)} points`;
  return more.length === 0
    ? `Every interval is within ${width}.`
    : `For ${width}: ${more.map(({ part, more: rows }) => `${part} ${rows} more rows`).join(", ")}.`;
}

/** What to know before reading the figures. */
function asides({ examples, agreement, sealed }: TrialTemplateReport): string[] {
  return [
    ...(examples.length > 0
      ? [
          `${plural(examples.length, "row")} of the file ${examples.length === 1 ? "is an example" : "are examples"} in the template and not graded.`,
        ]
      : []),
    ...agreement.map(
      ({ part, labellers, rows, same, kappa, undecided }) =>
        `${part}: ${joinWords(labellers)} agree on ${percent(same)} of ${rows} rows${kappa === null ? "" : ` (Fleiss' kappa ${kappa.toFixed(2)})`}${undecided > 0 ? `; ${undecided} undecided, not graded` : ""}.`,
    ),
    ...(sealed.graded
      ? [`This was look ${sealed.looks} at the sealed samples. Each look wears them out a little.`]
      : sealed.rows > 0
        ? [
            `${plural(sealed.rows, "sealed row")} left alone (looked at ${sealed.looks === 1 ? "once" : `${sealed.looks} times`}); --sealed grades them.`,
          ]
        : []),
  ];
}

const FIGURES: readonly { readonly name: string; readonly of: (part: PartGrade) => number | null | undefined; readonly key: string }[] = [
  { name: "macro F1", key: "macroF1", of: ({ classes, numbers }) => (!numbers ? classes?.macro.f1 : undefined) },
  {
    name: "macro F1 of labelled options",
    key: "macroF1Labelled",
    of: ({ classes, numbers }) =>
      !numbers && classes && classes.macroLabelled.f1 !== classes.macro.f1 ? classes.macroLabelled.f1 : undefined,
  },
  { name: "balanced accuracy", key: "balancedAccuracy", of: ({ classes, numbers }) => (!numbers ? classes?.balancedAccuracy : undefined) },
  { name: "kappa", key: "kappa", of: ({ classes, numbers }) => (!numbers ? classes?.kappa : undefined) },
  { name: "Matthews", key: "matthews", of: ({ classes, numbers }) => (!numbers ? classes?.matthews : undefined) },
  { name: "mean error", key: "meanAbsoluteError", of: ({ numbers }) => numbers?.meanAbsoluteError },
  { name: "bias", key: "bias", of: ({ numbers }) => numbers?.bias },
  { name: "quadratic kappa", key: "quadraticKappa", of: ({ numbers }) => numbers?.quadraticKappa },
  { name: "Spearman", key: "spearman", of: ({ numbers }) => numbers?.spearman },
  { name: "Jaccard", key: "jaccard", of: ({ sets }) => sets?.jaccard },
  { name: "micro F1", key: "microF1", of: ({ sets }) => sets?.microF1 },
  { name: "ROUGE-L", key: "rougeL", of: ({ texts }) => texts?.rougeL },
];

/** A line for each further figure, with its bootstrap interval where there is one. */
function printFigures(parts: readonly PartGrade[]): void {
  const lines = parts.flatMap((part) => [
    ...FIGURES.flatMap(({ name, key, of }) => {
      const value = of(part);
      if (value === undefined || value === null) return [];
      const interval = part.intervals?.[key];
      return [[part.part, name, value.toFixed(2), interval ? `${interval.low.toFixed(2)} to ${interval.high.toFixed(2)}` : ""]];
    }),
    ...(part.numbers && part.numbers.within > 0
      ? [
          [
            part.part,
            `within ${part.numbers.within}`,
            percent(part.numbers.near),
            `${percent(part.numbers.nearInterval.low)} to ${percent(part.numbers.nearInterval.high)}`,
          ],
        ]
      : []),
  ]);
  if (lines.length === 0) return;
  out("");
  out(table(["part", "figure", "", "95 % interval"], lines, { right: [2] }));
}

function printConfusion({ part, confusion }: PartGrade): void {
  if (!confusion || confusion.labels.length < 2) return;
  const { labels, counts } = confusion;
  const anyUnanswered = counts.some((row) => row.at(-1)! > 0);
  // Long names would not fit across, so the columns carry the rows' numbers.
  const numbered = labels.length > 6 || labels.some((label) => label.length > 10);
  out(`\n${heading(part)}  ${quiet("right value down, answer across")}`);
  const head = [
    ...(numbered ? [""] : []),
    "",
    ...labels.map((label, index) => (numbered ? String(index + 1) : label)),
    ...(anyUnanswered ? ["none"] : []),
  ];
  const rows = labels.map((label, row) => [
    ...(numbered ? [quiet(String(row + 1))] : []),
    cut(label, 24),
    ...labels.map((_, column) => cell(counts[row]![column]!, row === column)),
    ...(anyUnanswered ? [cell(counts[row]!.at(-1)!, false)] : []),
  ]);
  out(table(head, rows, { right: head.map((_, index) => index).filter((index) => index !== (numbered ? 1 : 0)) }));
}

function cell(count: number, onDiagonal: boolean): string {
  if (count === 0) return quiet("·");
  return onDiagonal ? good(String(count)) : bad(String(count));
}

function printSlices({ slices }: TrialTemplateReport, all: boolean): void {
  if (slices.length === 0) return;
  const shown = all ? slices : slices.filter((slice, index) => slice.standsOut || index < SHOWN_SLICES);
  out(
    `\n${heading("Slices")}  ${quiet(shown.length < slices.length ? `${shown.length} of ${slices.length}, smallest first; --all lists them` : "smallest first")}`,
  );
  out(
    table(
      ["by", "value", "part", "right", "accuracy", "95 % interval", "the rest", ""],
      shown.map((slice) => [
        slice.by,
        cut(slice.value, 22),
        slice.part,
        `${slice.right} of ${slice.rows}`,
        percent(slice.accuracy),
        `${percent(slice.interval.low)} to ${percent(slice.interval.high)}`,
        percent(slice.rest),
        slice.standsOut ? warn(`differs, p = ${slice.p.toFixed(4)}`) : "",
      ]),
      { right: [3, 4, 6] },
    ),
  );
  if (!slices.some((slice) => slice.standsOut)) out(quiet("  No slice differs from the rest beyond chance (Fisher's exact test, Holm)."));
}

function printSteadiness({ steadiness }: TrialTemplateReport): void {
  if (steadiness.length === 0) return;
  out(`\n${heading("Steadiness")}  ${quiet(`each row asked ${steadiness[0]!.asks} times`)}`);
  out(
    table(
      ["part", "same each time", "Fleiss' kappa", "least steady"],
      steadiness.map(({ part, same, kappa, least }) => [
        part,
        percent(same),
        kappa === null ? "–" : kappa.toFixed(2),
        cut(
          least
            .slice(0, 3)
            .map(({ id, answers }) => `${id} (${[...new Set(answers)].join(", ")})`)
            .join("; "),
          60,
        ),
      ]),
      { right: [1, 2] },
    ),
  );
}

function printConfidence({ confidence }: TrialTemplateReport): void {
  for (const { part, bins, brier, calibrationError, reach, threshold } of confidence) {
    out(`\n${heading(`Confidence of ${part}`)}  ${quiet(`Brier ${brier.toFixed(3)}, calibration error ${calibrationError.toFixed(3)}`)}`);
    out(
      table(
        ["confidence", "rows", "said", "right", "95 % interval"],
        bins.map((bin) => [
          `${bin.from.toFixed(1)} to ${bin.to.toFixed(1)}`,
          bin.rows,
          percent(bin.meanConfidence),
          percent(bin.accuracy),
          `${percent(bin.interval.low)} to ${percent(bin.interval.high)}`,
        ]),
        { right: [1, 2, 3] },
      ),
    );
    out(
      threshold
        ? `  From ${threshold.threshold.toFixed(2)} on, ${percent(threshold.accuracy)} are right (${percent(threshold.interval.low)} to ${percent(threshold.interval.high)}); ${percent(threshold.toPerson)} of the rows would go to a person.`
        : `  No threshold reaches ${percent(reach)}.`,
    );
  }
}

function printEvidenceFigures({ evidence = [] }: TrialTemplateReport): void {
  if (evidence.length === 0) return;
  out(`\n${heading("Evidence")}  ${quiet("whether the words given stand in the row")}`);
  out(
    table(
      ["part", "answers", "at once", "95 % interval", "after the mend", "never", "95 % interval"],
      evidence.map(({ part, answers, atOnce, mended, never, atOnceInterval, neverInterval }) => [
        part,
        answers,
        atOnce,
        `${percent(atOnceInterval.low)} to ${percent(atOnceInterval.high)}`,
        mended,
        never,
        `${percent(neverInterval.low)} to ${percent(neverInterval.high)}`,
      ]),
      { right: [1, 2, 3, 4, 5, 6] },
    ),
  );
}

function printSecondLook({ secondLook }: TrialTemplateReport): void {
  if (!secondLook) return;
  out(`\n${heading("What the second look did")}`);
  for (const { part, won, lost, rows, p } of secondLook)
    out(
      `  ${part}: ${won === 0 && lost === 0 ? `changed nothing for better or worse in ${plural(rows, "row")}` : `put ${won} right, spoilt ${lost} of ${plural(rows, "row")} ${quiet(`(exact McNemar p = ${p.toFixed(4)})`)}`}`,
    );
}

function printDisagreements({ disagreements }: TrialTemplateReport, all: boolean): void {
  if (disagreements.length === 0) return;
  // A row counts once, in however many parts it disagrees.
  const ids = [...new Set(disagreements.map(({ id }) => id))];
  const shownIds = all ? ids : ids.slice(0, SHOWN);
  const shown = shownIds.flatMap((one) => disagreements.filter(({ id }) => id === one));
  out(
    `\n${heading("Rows that disagree")}  ${quiet(shownIds.length < ids.length ? `${shownIds.length} of ${ids.length}; --all lists them` : String(ids.length))}`,
  );
  out(
    table(
      ["row", "part", "right", "answered", "the model's reason"],
      shown.map(({ id, part, truth, answer, why }) => [
        id,
        part,
        cut(truth, 18),
        answer === null ? "(none)" : cut(answer, 18),
        cut(why ?? "", 44),
      ]),
    ),
  );
}

function printAdvice({ advice }: TrialTemplateReport): void {
  const { confused, labels } = advice;
  if (confused.length > 0) {
    out(`\n${heading("Taken for each other most")}`);
    out(
      table(
        ["right", "answered", "rows", "words of these rows"],
        confused.map(({ right, answered, rows, words }) => [right, answered, rows, words.join(", ")]),
        { right: [2], width: { 3: 56 } },
      ),
    );
  }
  if (labels.length === 0) return;
  out(`\n${heading("Labels to look at again")}  ${quiet("the answer is sure, and another")}`);
  out(
    table(
      ["row", "part", "label", "answer", "why"],
      labels.slice(0, SHOWN).map(({ id, part, label, answer, why }) => [id, part, cut(label, 18), cut(answer, 18), why]),
    ),
  );
}

/** The conclusions of a contest, and what each contestant costs. */
export function printContest({ contest, ...report }: TrialTemplateReport, currency: string): void {
  if (!contest) return;
  printConclusions(contest);
  if (report.contestants.length > 0) printContestants([ownContestant(contest.first, report), ...report.contestants], currency);
}

/** What may be said of the first contestant against each other one. */
export function printConclusions({ first, against }: Contest): void {
  for (const { name, parts } of against) {
    if (parts.length === 0) {
      out(`\n${warn(`${first} and ${name} share no graded rows of the same part, so they cannot be compared.`)}`);
      continue;
    }
    out(`\n${heading(`${first} against ${name}`)}  ${quiet("on the same rows")}`);
    for (const part of parts) printConclusion(first, name, part);
  }
}

/** The trial itself as one of the contestants. */
function ownContestant(name: string, { parts, samples, worth, answerMs }: Omit<TrialTemplateReport, "contest">): TrialContestant {
  const thousand = 1000 / Math.max(1, samples);
  return {
    name,
    parts: Object.fromEntries(parts.map(({ part, accuracy }) => [part, accuracy])),
    costPerThousand: worth * thousand,
    msPerThousand: answerMs * thousand,
  };
}

function printContestants(all: readonly TrialContestant[], currency: string): void {
  const parts = Object.keys(all[0]!.parts);
  out("");
  out(
    table(
      ["contestant", ...parts, "a thousand rows", ""],
      all.map((one) => [
        one.name,
        ...parts.map((part) => percent(one.parts[part] ?? null)),
        one.costPerThousand === null ? "" : money(one.costPerThousand, currency),
        one.msPerThousand === null ? "" : `${duration(one.msPerThousand)} of waiting`,
      ]),
      { right: [...parts.map((_, index) => index + 1), parts.length + 1] },
    ),
  );
}

function printConclusion(first: string, other: string, part: PartComparison): void {
  const sentence = conclusion(first, other, part);
  const p = part.adjustedP < 0.0001 ? "p under 0.0001" : `p = ${part.adjustedP.toFixed(4)}`;
  const detail = quiet(
    `(${part.won} rows won, ${part.lost} lost of ${part.rows}; ${p} by that interval${part.adjustedP === part.p ? "" : " after Holm"})`,
  );
  const colour = part.beyondChance ? (part.difference > 0 ? good : bad) : (text: string): string => text;
  out(`  ${part.part}: ${colour(sentence)}`);
  out(
    `    ${detail}${part.merit ? quiet(` mean merit ${part.merit.difference >= 0 ? "+" : "−"}${Math.abs(part.merit.difference).toFixed(2)}, permutation p = ${part.merit.p.toFixed(4)}`) : ""}`,
  );
}

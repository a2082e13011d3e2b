import {
  formatMoney,
  groupDigits,
  placeWords,
  plural,
  sentenceOf,
  STATE_MARKS,
  wilson,
  type CellState,
  type ColumnReport,
  type Moved,
  type PlanReport,
} from "../../core/index.js";
import { barChart, SAVE_SCRIPT, type Bar } from "./bars.js";
import { html, type Html } from "./html.js";
import { reportPage, Shaded, table } from "./page.js";
import { evidenceTable } from "./sections.js";
import { percent } from "./words.js";

const figure = groupDigits;

/** All that a plan's report shows. */
export interface PlanPage {
  readonly report: PlanReport;
  readonly plan: string;
  readonly title?: string | undefined;
  readonly table: string;
  /** For people: `2026-08-03 08:15 UTC`. */
  readonly madeAt: string;
  readonly since?: string | undefined;
  readonly over?: string | undefined;
  readonly across?: string | undefined;
  readonly currency: string;
  readonly isStandin: boolean;
  readonly spend: readonly {
    readonly model: string;
    readonly step: string;
    readonly requests: number;
    readonly tokensIn: number;
    readonly tokensOut: number;
    /** In millionths. */
    readonly spent: number;
    readonly unsure: number;
  }[];
  /** The newest trial of each template, part by part. */
  readonly trials: readonly {
    readonly template: string;
    readonly version: number;
    readonly model: string;
    readonly samples: number;
    readonly sealed: boolean;
    readonly parts: readonly {
      readonly part: string;
      readonly accuracy: number;
      readonly low: number;
      readonly high: number;
      readonly right: number;
    }[];
  }[];
  /** Columns with how many of their cells a random check found wrong, and exact bounds. */
  readonly checks: readonly {
    readonly column: string;
    readonly population: number;
    readonly checked: number;
    readonly wrong: number;
    readonly low?: number | undefined;
    readonly high?: number | undefined;
  }[];
  /** What people decided. */
  readonly people: readonly {
    readonly by: string;
    readonly decided: number;
    readonly accepted: number;
    readonly changed: number;
    readonly rejected: number;
  }[];
}

const STATES = ["filled", "edited", "stale", "held", "failed", "skipped", "blank"] as const;
const FEW_KEYS = 3;
const MOST_GROUPS = 24;
const MOST_VALUES = 8;

const MORE_STYLE = `
.save { font: 13px system-ui, sans-serif; padding: .15rem .5rem; margin-left: .8rem; border: 1px solid var(--quiet); border-radius: 3px; background: var(--sheet); color: var(--ink); }
.differs { color: var(--warn); } .mark { display: inline-block; width: 1.1em; text-align: center; color: var(--quiet); }
td.share { background-image: linear-gradient(90deg, color-mix(in srgb, var(--accent) 22%, transparent) var(--share), transparent var(--share)); }
figure.words { margin: .8rem 0; break-inside: avoid; } figure.words blockquote { margin: .2rem 0 0 1rem; white-space: pre-wrap; max-width: 46rem; }
caption { text-align: left; padding: .2rem 0; } nav a { margin-right: 1rem; color: var(--accent); }
@media print { .save, nav { display: none; } td.share { print-color-adjust: exact; } }
`;

/** One self-contained HTML file about a plan's table: no network, readable by day, at night and in print. */
export function planPage(page: PlanPage): string {
  const { report, plan } = page;
  const title = page.title ?? `Plan ${plan}`;
  const body = html`<p class="quiet">
      Plan ${plan}: ${plural(report.rows, "row")} of ${page.table},
      ${page.madeAt}.${page.isStandin ? " Answered by the offline stand-in, not by a language model." : ""}
    </p>
    <nav aria-label="Sections">
      <a href="#states">States</a
      >${report.moved.length + report.passed.length > 0 ? html`<a href="#since">Since the last report</a>` : ""}<a href="#columns"
        >Columns</a
      >${report.evidence.length > 0 ? html`<a href="#evidence">Evidence</a>` : ""}<a href="#right">How right</a><a href="#cost">Cost</a>
    </nav>
    ${states(page)} ${changes(page)}
    <h2 id="columns">What stands in the columns</h2>
    ${report.columns.map((column, index) => columnSection(column, index, page))} ${evidence(report)} ${accuracy(page)} ${decisions(page)}
    ${cost(page)}
    <h2>How to read this</h2>
    <p class="quiet">
      Shares are of the cells with a value; the line through a mark is Wilson's 95 % interval (1927), for tables that are a sample of more
      to come. Whether shares have moved is Pearson's chi-square test (1900), its p corrected for the number of columns after Holm (1979);
      what is below 0.05 is called moved. How wrong a column is comes from random checks, with exact (hypergeometric) bounds.
    </p>`;
  return reportPage({ title, style: MORE_STYLE, script: SAVE_SCRIPT, body });
}

const stateCell = (state: CellState): Html => html`<span class="mark" aria-hidden="true">${STATE_MARKS[state].sign}</span>${state}`;

function states({ report }: PlanPage): Html {
  const used = STATES.filter((state) => Object.values(report.states).some((column) => (column[state] ?? 0) > 0));
  return html`<h2 id="states">How the cells stand</h2>
    ${table(
      [["row", "column"], ...used.map((state) => ["n", stateCell(state)] as const)],
      Object.entries(report.states).map(([column, counts]) => [column, ...used.map((state) => figure(counts[state] ?? 0))]),
    )}
    ${
      report.reasons.length > 0 &&
      table(
        [["n", "rows"], "step", "state", "why", "for example"],
        report.reasons.map(({ rows, step, state, reason, keys }) => [
          figure(rows),
          step,
          stateCell(state),
          sentenceOf(reason),
          keys.slice(0, FEW_KEYS).join(", "),
        ]),
      )
    }`;
}

function changes({ report, since }: PlanPage): Html | string {
  if (since === undefined) return "";
  if (report.moved.length + report.passed.length === 0)
    return html`<h2 id="since">Since the last report</h2>
      <p>Nothing has changed since ${since}.</p>`;
  return html`<h2 id="since">Since the last report</h2>
    <p class="quiet">Rows recorded since ${since} (filled marks) against those before (open marks).</p>
    ${report.moved.map(movedSection)} ${report.passed.length === 0 ? "" : passedTable(report)}`;
}

function movedSection(moved: Moved, index: number): Html {
  const isMoved = moved.adjusted < 0.05;
  const before = new Map(moved.before.map((share) => [share.value, share]));
  const values = [...new Set([...moved.since.slice(0, MOST_VALUES), ...moved.before.slice(0, MOST_VALUES)].map(({ value }) => value))];
  // Points of a scale in their order, all else by how often it occurs.
  if (values.every((value) => value !== "" && Number.isFinite(Number(value)))) values.sort((a, b) => Number(a) - Number(b));
  const since = new Map(moved.since.map((share) => [share.value, share]));
  const bars = values.map((name): Bar => {
    const none = (rows: number): { rows: number; share: number; low: number; high: number } => ({ rows: 0, share: 0, ...wilson(0, rows) });
    return { name, ...(since.get(name) ?? none(moved.rowsSince)), before: before.get(name) ?? none(moved.rowsBefore) };
  });
  const said = `${moved.column}: ${isMoved ? "its shares have moved" : "no move beyond chance"} (chi-square ${moved.statistic.toFixed(2)}, ${plural(moved.freedom, "degree")} of freedom, corrected p ${moved.adjusted < 0.001 ? "< 0.001" : moved.adjusted.toFixed(3)}); ${plural(moved.rowsSince, "row")} since, ${figure(moved.rowsBefore)} before.`;
  return html`<h3>${moved.column}${isMoved ? html` <span class="differs">moved</span>` : ""}</h3>
    ${barChart(bars, `Shares of ${moved.column} since the last report`, said, `since-${index}`)}`;
}

function passedTable({ passed }: PlanReport): Html {
  return html`<h3>Rows that moved</h3>
    ${table(
      [["n", "rows"], "column", "from", "to", "for example"],
      passed.map(({ rows, column, before, after, keys }) => [figure(rows), column, before, after, keys.slice(0, FEW_KEYS).join(", ")]),
    )}`;
}

function columnSection(column: ColumnReport, index: number, { over, across }: PlanPage): Html {
  const { figures, shares, lengths } = column;
  const { numbers } = figures;
  const filled = figures.rows - figures.blank;
  const said = [
    `${plural(filled, "cell")} with a value, ${figure(figures.blank)} blank`,
    numbers && `least ${numbers.least}, median ${numbers.median}, mean ${numbers.mean.toFixed(2)}, greatest ${numbers.most}`,
    lengths && `${lengths.least} to ${lengths.most} characters, ${lengths.mean} on average`,
    figures.others > 0 && `${plural(figures.others, "row")} with rarer values`,
  ].filter(Boolean);
  const bars: Bar[] = lengths
    ? lengths.bins.map((bin) => ({
        name: `up to ${bin.upTo.toLocaleString("en")} characters`,
        rows: bin.rows,
        share: bin.rows / Math.max(1, filled),
      }))
    : numbers && figures.bins.some(({ to }) => to !== undefined)
      ? figures.bins.map((bin) => ({ name: `${bin.value} to ${bin.to ?? ""}`, rows: bin.rows, share: bin.rows / Math.max(1, filled) }))
      : (numbers ? [...shares].sort((a, b) => Number(a.value) - Number(b.value)) : shares).map(({ value, ...share }) => ({
          name: value,
          ...share,
        }));
  return html`<h3 id="column-${index}">${column.column}</h3>
    ${bars.length === 0 ? html`<p>${said.join("; ")}.</p>` : barChart(bars, `What stands in ${column.column}`, `${said.join("; ")}.`, `column-${index}-chart`)}
    ${groupTable(column, column.over, over === undefined ? "" : `by ${over}`, over)}
    ${groupTable(column, column.across, across === undefined ? "" : `by ${across}`, across)}`;
}

/** Each group's shares, shaded; the most frequent values of all. */
function groupTable(
  { shares, column, figures: { numbers } }: ColumnReport,
  groups: ColumnReport["over"],
  caption: string,
  name: string | undefined,
): Html | string {
  if (groups.length === 0 || shares.length === 0) return "";
  const most = shares.slice(0, MOST_VALUES).map(({ value }) => value);
  const values = numbers ? most.sort((a, b) => Number(a) - Number(b)) : most;
  return table(
    [["row", name ?? ""], ["n", "rows"], ...values.map((value) => ["n", value] as const)],
    groups.slice(0, MOST_GROUPS).map(({ group, rows, counts }) => {
      const shares = values.map((value) => (counts[value] ?? 0) / Math.max(1, rows));
      return [group, figure(rows), ...shares.map((share) => new Shaded(share, percent(share)))];
    }),
    { caption: `${column} ${caption}` },
  );
}

/** How the words were found that carry parts of answers, and some of them, marked in their text. */
function evidence({ evidence: all }: PlanReport): Html | string {
  if (all.length === 0) return "";
  return html`<h2 id="evidence">The words that carry the answers</h2>
    ${evidenceTable(all)}
    ${all.map(
      ({ part, passages }) =>
        html`${passages.map(
          ({ key, value, evidence: { quote, place, found }, before = "", behind = "" }) =>
            html`<figure class="words">
              <figcaption>
                <b>${part}: ${value}</b>
                <span class="quiet"
                  >row ${key}, ${place.address ?? place.input},
                  ${placeWords(place)}${found === "mended" ? "; found after the mend" : ""}</span
                >
              </figcaption>
              <blockquote>${before}<mark>${quote}</mark>${behind}</blockquote>
            </figure>`,
        )}`,
    )}`;
}

function accuracy({ trials, checks }: PlanPage): Html {
  const graded = trials.filter(({ parts }) => parts.length > 0);
  return html`<h2 id="right">How right it is</h2>
    ${graded.length + checks.length === 0 ? html`<p>No trial of its templates has been recorded, and no random check drawn.</p>` : ""}
    ${graded.map(({ template, version, model, samples, sealed, parts }, index) =>
      barChart(
        parts.map(({ part, accuracy: share, low, high, right }) => ({ name: part, rows: right, share, low, high })),
        `Right answers of ${template}`,
        `${template} version ${version}, ${model}: the newest trial, on ${plural(samples, sealed ? "sealed sample" : "sample")}.`,
        `trial-${index}`,
      ),
    )}
    ${
      checks.length > 0 &&
      table(
        [["row", "column"], ["n", "checked"], ["n", "wrong"], "wrong in all, with exact bounds"],
        checks.map(({ column, checked, wrong, population, low, high }) => [
          column,
          figure(checked),
          figure(wrong),
          low === undefined || high === undefined ? "nothing checked yet" : `${figure(low)} to ${figure(high)} of ${figure(population)}`,
        ]),
      )
    }`;
}

function decisions({ people }: PlanPage): Html | string {
  if (people.length === 0) return "";
  return html`<h3>What people decided</h3>
    ${table(
      [
        ["row", "who"],
        ["n", "decided"],
        ["n", "accepted"],
        ["n", "changed"],
        ["n", "rejected"],
      ],
      people.map((one) => [one.by, ...[one.decided, one.accepted, one.changed, one.rejected].map(figure)]),
    )}`;
}

function cost({ spend, currency }: PlanPage): Html {
  const sum = spend.reduce((total, line) => total + line.spent, 0);
  return html`<h2 id="cost">What it cost</h2>
    ${
      spend.length === 0
        ? html`<p>Nothing has been asked.</p>`
        : table(
            ["step", "model", ["n", "requests"], ["n", "tokens in"], ["n", "tokens out"], ["n", "spent"]],
            spend.map((line) => [
              line.step,
              line.model,
              ...[line.requests, line.tokensIn, line.tokensOut].map(figure),
              formatMoney(line.spent, currency),
            ]),
            { sum: ["in all", formatMoney(sum, currency)] },
          )
    }`;
}

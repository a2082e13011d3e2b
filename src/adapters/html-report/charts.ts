import * as Plot from "@observablehq/plot";
import { parseHTML } from "linkedom";
import type { ConfusionCounts, Interval, ReliabilityBin } from "../../core/index.js";
import { Html } from "./html.js";

const { document } = parseHTML("<!doctype html><html><body></body></html>");
const INK = "currentColor";
const ACCENT = "var(--accent)";
const WARN = "var(--warn)";
const ROW = 30;

/** A share with its interval, on a line of its own. */
export interface IntervalRow extends Interval {
  readonly name: string;
  readonly value: number;
  readonly marked?: boolean | undefined;
}

/** Shares with their intervals, one line each. `reference` draws a line to hold them against. */
export function intervalChart(rows: readonly IntervalRow[], label: string, reference?: number): Html {
  const names = rows.map((row) => row.name);
  return drawn({
    ariaLabel: label,
    width: 720,
    height: 46 + ROW * rows.length,
    // The same for all, so that charts below each other have one scale.
    marginLeft: 210,
    marginRight: 56,
    x: { domain: [0, 1], tickFormat: (share: number) => `${Math.round(share * 100)} %`, grid: true, label: null, ticks: 5 },
    y: { domain: names, label: null, tickSize: 0 },
    marks: [
      ...(reference === undefined ? [] : [Plot.ruleX([reference], { stroke: INK, strokeDasharray: "2 4", strokeOpacity: 0.6 })]),
      Plot.ruleY(rows, {
        y: "name",
        x1: "low",
        x2: "high",
        stroke: (row: IntervalRow) => (row.marked ? WARN : ACCENT),
        strokeWidth: 3,
        strokeOpacity: 0.55,
      }),
      Plot.dot(rows, { y: "name", x: "value", r: 5, fill: (row: IntervalRow) => (row.marked ? WARN : ACCENT) }),
      Plot.text(rows, {
        y: "name",
        x: "high",
        text: (row: IntervalRow) => `${(row.value * 100).toFixed(1)} %`,
        dx: 8,
        textAnchor: "start",
        fill: INK,
      }),
    ],
  });
}

/** A confusion table as shades: each row's shares, the counts written in. */
export function confusionChart({ labels, counts }: ConfusionCounts, label: string): Html {
  const anyNone = counts.some((row) => row.at(-1)! > 0);
  const across = anyNone ? [...labels, "(none)"] : [...labels];
  const cells = labels.flatMap((truth, row) =>
    across.map((answer, column) => {
      const count = counts[row]![column]!;
      const total = counts[row]!.reduce((sum, one) => sum + one, 0);
      return { truth, answer, count, share: total === 0 ? 0 : count / total, right: row === column };
    }),
  );
  const side = Math.max(26, Math.min(52, 560 / across.length));
  const left = Math.min(200, 20 + 7 * Math.max(...labels.map((name) => name.length)));
  return drawn({
    ariaLabel: label,
    width: left + side * across.length + 20,
    height: 120 + side * labels.length,
    marginLeft: left,
    marginTop: 16,
    marginBottom: 104,
    padding: 0.06,
    x: { domain: across, label: null, tickRotate: -40, tickSize: 0 },
    y: { domain: labels, label: null, tickSize: 0 },
    marks: [
      Plot.cell(cells, {
        x: "answer",
        y: "truth",
        fill: (cell: (typeof cells)[number]) => (cell.right ? ACCENT : WARN),
        fillOpacity: (cell: (typeof cells)[number]) => 0.06 + 0.74 * cell.share,
        rx: 3,
      }),
      Plot.text(
        cells.filter((cell) => cell.count > 0),
        { x: "answer", y: "truth", text: "count", fill: INK, fontWeight: 600 },
      ),
    ],
  });
}

/** Answers against right values; the line is where they are the same, the size how many rows. */
export function scatterChart(points: readonly (readonly [number, number])[], label: string): Html {
  const counts = new Map<string, { truth: number; answer: number; rows: number }>();
  for (const [truth, answer] of points) {
    const key = `${truth} ${answer}`;
    const one = counts.get(key) ?? { truth, answer, rows: 0 };
    one.rows++;
    counts.set(key, one);
  }
  const all = points.flat();
  const [low, high] = [Math.min(...all), Math.max(...all)];
  return drawn({
    ariaLabel: label,
    width: 420,
    height: 380,
    marginLeft: 56,
    marginBottom: 44,
    inset: 16,
    grid: true,
    x: { label: "right value" },
    y: { label: "answered" },
    r: { range: [3, 18] },
    marks: [
      Plot.line(
        [
          [low, low],
          [high, high],
        ],
        { stroke: INK, strokeOpacity: 0.4, strokeDasharray: "2 4" },
      ),
      Plot.dot([...counts.values()], { x: "truth", y: "answer", r: "rows", fill: ACCENT, fillOpacity: 0.5, stroke: ACCENT }),
    ],
  });
}

/** How often answers were right against how sure they were; on the line both are the same. */
export function reliabilityChart(bins: readonly ReliabilityBin[], label: string): Html {
  const rows = bins.map((bin) => ({
    said: bin.meanConfidence,
    right: bin.accuracy,
    low: bin.interval.low,
    high: bin.interval.high,
    rows: bin.rows,
  }));
  const percent = (share: number): string => `${Math.round(share * 100)} %`;
  return drawn({
    ariaLabel: label,
    width: 420,
    height: 380,
    marginLeft: 56,
    marginBottom: 44,
    grid: true,
    x: { domain: [0, 1], tickFormat: percent, label: "said to be sure" },
    y: { domain: [0, 1], tickFormat: percent, label: "was right" },
    r: { range: [4, 14] },
    marks: [
      Plot.line(
        [
          [0, 0],
          [1, 1],
        ],
        { stroke: INK, strokeOpacity: 0.4, strokeDasharray: "2 4" },
      ),
      Plot.ruleX(rows, { x: "said", y1: "low", y2: "high", stroke: ACCENT, strokeOpacity: 0.5, strokeWidth: 2 }),
      Plot.dot(rows, { x: "said", y: "right", r: "rows", fill: ACCENT, fillOpacity: 0.75 }),
    ],
  });
}

function drawn({ ariaLabel, ...options }: Plot.PlotOptions): Html {
  const svg = Plot.plot({
    ...options,
    // Plot uses of a document what linkedom has.
    document: document as unknown as Document,
    style: { fontSize: "13px", background: "none", overflow: "visible" },
  });
  svg.setAttribute("role", "img");
  svg.setAttribute("aria-label", ariaLabel ?? "");
  return new Html(svg.outerHTML);
}

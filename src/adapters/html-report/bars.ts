import { escapeHtml, html, Html } from "./html.js";

/** One line of a chart: a value with how many rows have it, and its interval as shares of all. */
export interface Bar {
  readonly name: string;
  readonly rows: number;
  readonly share: number;
  readonly low?: number | undefined;
  readonly high?: number | undefined;
  /** A second share to hold it against, drawn as an open mark with a line of its own. */
  readonly before?: { readonly share: number; readonly low: number; readonly high: number } | undefined;
}

const WIDTH = 720;
const LEFT = 212;
const RIGHT = 150;
const ROW = 24;
const NAME_CHARS = 26;

const short = (name: string): string => (name.length > NAME_CHARS ? `${name.slice(0, NAME_CHARS - 1)}…` : name);
const percent = (share: number): string => `${(100 * share).toFixed(share > 0 && share < 0.001 ? 2 : 1)} %`;

/** The greatest share, rounded up to a tenth, so that small ones are seen. */
const scaleOf = (bars: readonly Bar[]): number =>
  Math.min(1, Math.max(0.1, Math.ceil(10 * Math.max(0, ...bars.flatMap((bar) => [bar.high ?? bar.share, bar.before?.high ?? 0]))) / 10));

/**
 * Shares as marks with a line for their interval, one value a line; a table stands beside for whoever reads rather than looks. Plain SVG:
 * it has a title and a description, takes the page's colours, and can be saved as it stands.
 */
export function barChart(bars: readonly Bar[], title: string, about: string, id: string): Html {
  const most = scaleOf(bars);
  const height = 34 + ROW * bars.length + 18;
  const x = (share: number): number => LEFT + (Math.min(share, most) / most) * (WIDTH - LEFT - RIGHT);
  const ticks = [0, most / 2, most];
  const lines = bars.map((bar, index) => {
    const y = 34 + ROW * index + ROW / 2;
    const before = bar.before
      ? `<line x1="${x(bar.before.low)}" x2="${x(bar.before.high)}" y1="${y + 5}" y2="${y + 5}" stroke="currentColor" stroke-opacity="0.45" stroke-width="1.5" stroke-dasharray="3 2" />
         <circle cx="${x(bar.before.share)}" cy="${y + 5}" r="3.5" fill="none" stroke="currentColor" stroke-opacity="0.6" stroke-width="1.5" />`
      : "";
    const interval =
      bar.low === undefined || bar.high === undefined
        ? ""
        : `<line x1="${x(bar.low)}" x2="${x(bar.high)}" y1="${y - (bar.before ? 4 : 0)}" y2="${y - (bar.before ? 4 : 0)}" stroke="var(--accent, #1f5f8b)" stroke-width="2.5" stroke-opacity="0.6" />`;
    return `<g>
      <text x="${LEFT - 10}" y="${y + 4}" text-anchor="end" font-size="13" fill="currentColor">${escapeHtml(short(bar.name))}</text>
      <line x1="${LEFT}" x2="${x(bar.share)}" y1="${y - (bar.before ? 4 : 0)}" y2="${y - (bar.before ? 4 : 0)}" stroke="currentColor" stroke-opacity="0.25" stroke-width="1" />
      ${before}${interval}
      <circle cx="${x(bar.share)}" cy="${y - (bar.before ? 4 : 0)}" r="4.5" fill="var(--accent, #1f5f8b)" />
      <text x="${WIDTH - RIGHT + 14}" y="${y + 4}" font-size="12" fill="currentColor" style="font-variant-numeric: tabular-nums">${percent(bar.share)}  (${bar.rows.toLocaleString("en")})</text>
    </g>`;
  });
  const grid = ticks.map(
    (tick) =>
      `<line x1="${x(tick)}" x2="${x(tick)}" y1="26" y2="${height - 14}" stroke="currentColor" stroke-opacity="0.14" /><text x="${x(tick)}" y="18" text-anchor="middle" font-size="11" fill="currentColor" fill-opacity="0.7">${Math.round(tick * 100)} %</text>`,
  );
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" width="${WIDTH}" height="${height}" role="img" aria-labelledby="${id}-t ${id}-d" font-family="system-ui, sans-serif">
    <title id="${id}-t">${escapeHtml(title)}</title><desc id="${id}-d">${escapeHtml(about)}</desc>
    ${grid.join("")}${lines.join("\n")}
  </svg>`;
  return html`<figure data-chart="${id}">
    ${new Html(svg)}
    <figcaption>
      ${about}
      <button type="button" class="save" data-save="${id}">Save as SVG</button>
    </figcaption>
  </figure>`;
}

/** Saves a chart as it stands, with the colours that it has on the page. */
export const SAVE_SCRIPT = `
for (const button of document.querySelectorAll("[data-save]")) button.addEventListener("click", () => {
  const svg = document.querySelector('[data-chart="' + button.dataset.save + '"] svg').cloneNode(true);
  const style = getComputedStyle(document.documentElement);
  svg.setAttribute("color", getComputedStyle(document.body).color);
  const text = new XMLSerializer().serializeToString(svg).replace(/var\\(--accent, [^)]*\\)/g, style.getPropertyValue("--accent").trim());
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  link.download = button.dataset.save + ".svg";
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
});
`;

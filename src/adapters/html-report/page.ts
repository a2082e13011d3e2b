import { Html, html, type Part } from "./html.js";
import { STYLE } from "./style.js";

/** One self-contained HTML file: no network, readable by day, at night and in print. */
export function reportPage(page: {
  readonly title: string;
  readonly style?: string;
  readonly script: string;
  readonly body: Html;
}): string {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>${page.title}</title>
        <style>
          ${new Html(STYLE + (page.style ?? ""))}
        </style>
      </head>
      <body>
        <main>
          <h1>${page.title}</h1>
          ${page.body}
        </main>
        <script>
          ${new Html(page.script)};
        </script>
      </body>
    </html>`.source;
}

/** A column's head: its words, and whether its cells are numbers (`n`) or name their row (`row`). */
type Head = Part | readonly ["n" | "row", Part];

/** What a table has besides its cells. */
export interface TableMore {
  readonly id?: string;
  readonly caption?: string;
  /** `data-part` of each row. */
  readonly parts?: readonly string[];
  /** A last row: words over all columns but the last, and the last's figure. */
  readonly sum?: readonly [string, string];
}

/** A table that scrolls sideways in itself where the page is narrow. A cell of numbers may bring the share that shades it. */
export function table(heads: readonly Head[], rows: readonly (readonly (Part | Shaded)[])[], more: TableMore = {}): Html {
  const columns = heads.map((head) => (isTyped(head) ? { type: head[0], words: head[1] } : { type: "" as const, words: head }));
  const cell = (value: Part | Shaded, index: number): Html => {
    const { type } = columns[index]!;
    if (value instanceof Shaded) return html`<td class="n share" style="--share: ${(100 * value.share).toFixed(1)}%">${value.words}</td>`;
    if (type === "row") return html`<th scope="row">${value}</th>`;
    return type === "n" ? html`<td class="n">${value}</td>` : html`<td>${value}</td>`;
  };
  return html`<div class="wide">
    <table${more.id === undefined ? "" : html` id="${more.id}"`}>
      ${
        more.caption === undefined
          ? ""
          : html`<caption class="quiet">
              ${more.caption}
            </caption>`
      }
      <thead>
        <tr>
          ${columns.map(({ type, words }) => (type === "n" ? html`<th scope="col" class="n">${words}</th>` : html`<th scope="col">${words}</th>`))}
        </tr>
      </thead>
      <tbody>
        ${rows.map(
          (cells, index) =>
            html`<tr${more.parts ? html` data-part="${more.parts[index]}"` : ""}>
              ${cells.map(cell)}
            </tr>`,
        )}
      </tbody>
      ${
        more.sum &&
        html`<tfoot>
          <tr>
            <th scope="row" colspan="${heads.length - 1}">${more.sum[0]}</th>
            <td class="n">${more.sum[1]}</td>
          </tr>
        </tfoot>`
      }
    </table>
  </div>`;
}

/** A cell whose ground is shaded as far as its share goes. */
export class Shaded {
  constructor(
    readonly share: number,
    readonly words: string,
  ) {}
}

const isTyped = (head: Head): head is readonly ["n" | "row", Part] => Array.isArray(head) && (head[0] === "n" || head[0] === "row");

import type { JobReport, listFiles, ProjectShown } from "../../jobs/index.js";
import { html, page, type Html } from "./page.js";

type Files = JobReport<typeof listFiles>;

/** What the project has, and what can be done with it here. */
export function homePage({ name, month, currency, models }: ProjectShown, { templates, plans = [] }: Files, person: string): Html {
  const spent = `${month.spent.toFixed(4)} ${currency} this month${month.cap === null ? "" : ` of at most ${month.cap.toFixed(2)}`}`;
  const standin = models.every((one) => one.standin) ? "; answers come from the offline stand-in" : "";
  return page(
    name,
    `${person}; ${spent}${standin}`,
    html`<div class="two">
      <section>
        <h2>Templates</h2>
        <ul class="lines">
          ${templates.map(
            (one) =>
              html`<li>
                <a href="/forms/${one.name}">${one.title || one.name}</a><small>${one.broken ? "has mistakes" : one.name}</small>
              </li>`,
          )}
        </ul>
      </section>
      <section>
        <h2>Plans</h2>
        <ul class="lines">
          ${plans.map(
            (one) =>
              html`<li>
                <span>${one.title || one.name}</span><small>${one.broken ? "has mistakes" : `${one.table}: ${one.fills.join(", ")}`}</small>
              </li>`,
          )}
        </ul>
      </section>
      <section>
        <h2>For programs</h2>
        <ul class="lines">
          <li><a href="/api">All addresses of the API</a><small>/api</small></li>
          <li><a href="/openapi.json">The same as an OpenAPI document</a><small>/openapi.json</small></li>
          <li><span>Chat assistants (Model Context Protocol)</span><small>/mcp</small></li>
        </ul>
      </section>
    </div>`,
  );
}

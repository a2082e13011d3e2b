import type { AnswersReport, JobReport, templateSchema } from "../../jobs/index.js";
import { html, page, type Html } from "./page.js";

type Schema = JobReport<typeof templateSchema>;

interface Field {
  readonly description?: string;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly Field[];
  readonly type?: string;
  readonly format?: string;
  readonly maxLength?: number;
}

const LONG = 200;

/** A template as a form: a field for each input, and the answer to what was last typed. */
export function formPage(schema: Schema, given: Readonly<Record<string, string>>, report?: AnswersReport): Html {
  const fields = Object.entries(schema.inputs["properties"] as Record<string, Field>);
  const required = (schema.inputs["required"] ?? []) as string[];
  return page(
    schema.title ?? schema.template,
    `${schema.template}, version ${schema.version}`,
    html`<div class="two">
      <form method="post" action="/forms/${schema.template}">
        ${fields.map(([name, spec]) => field(name, spec, given[name] ?? "", required.includes(name)))}
        <button>Ask</button>
      </form>
      <section class="answer" aria-live="polite">
        ${report ? answerPart(report) : html`<p class="quiet">The answer stands here.</p>`}
      </section>
    </div>`,
  );
}

function field(name: string, spec: Field, value: string, isRequired: boolean): Html {
  const about = [spec.description, isRequired ? undefined : "may be left out"].filter(Boolean).join("; ");
  const options = spec.enum ?? spec.anyOf?.find((one) => one.enum)?.enum;
  const choices = options?.map(String) ?? (spec.type === "boolean" ? ["true", "false"] : undefined);
  const isLine = spec.type === "number" || spec.type === "integer" || spec.format === "date" || Number(spec.maxLength ?? LONG + 1) <= LONG;
  return html`<label
    ><b>${name}</b>${about === "" ? "" : html`<small>${about}</small>`}
    ${
      choices
        ? html`<select name="${name}">
            ${["", ...choices].map((one) => (one === value ? html`<option selected>${one}</option>` : html`<option>${one}</option>`))}
          </select>`
        : isLine
          ? html`<input name="${name}" value="${value}" ${spec.format === "date" ? html` type="date"` : ""} />`
          : html`<textarea name="${name}" rows="5">${value}</textarea>`
    }</label
  >`;
}

function answerPart({ answers, standin, model, version }: AnswersReport): Html {
  const [answer] = answers;
  if (!answer) return html``;
  const about = `${standin ? "the offline stand-in" : model}, version ${version}${answer.known ? "; known, nothing was asked" : ""}`;
  if (!answer.cells)
    return html`<p class="failed">${answer.reason ?? answer.state}</p>
      <p><small>${about}</small></p>`;
  return html`<dl>
      ${Object.entries(answer.cells).map(
        ([part, value]) =>
          html`<dt>${part}</dt>
            <dd>${value === "" ? "–" : value}</dd>`,
      )}
    </dl>
    <p><small>${about}</small></p>`;
}

import {
  columnsOf,
  isTemplateStep,
  keyColumnsOf,
  sourceName,
  type Plan,
  type Step,
  type InputSpec,
  type Json,
  type Message,
  type Prepared,
} from "../../core/index.js";
import { findTemplates, type Project } from "../../project/index.js";
import { block, cut, heading, out, outJson, quiet, table } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ShowOptions extends CommonOptions {
  readonly find?: string | undefined;
  readonly tag?: string | undefined;
}

/** `yoroshi show`: what the project has, or one template with its exact prompt, or one plan. */
export async function show(name: string | undefined, options: ShowOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (name === undefined) await showAll(project, options);
    else if (await project.isPlan(name)) await showPlan(project, name, options);
    else await showTemplate(project, name, options);
    return 0;
  });
}

async function showAll(project: Project, options: ShowOptions): Promise<void> {
  const searching = options.find !== undefined || options.tag !== undefined;
  const templates = (await findTemplates(project, { words: options.find, tag: options.tag })).map(({ name, title, tags, broken }) => ({
    name,
    title: broken ? "(has mistakes: see `yoroshi check`)" : title,
    tags,
  }));
  if (searching) {
    if (options.json) return outJson({ templates });
    return out(
      templates.length === 0
        ? "No template has all of that."
        : table(
            ["name", "title", "tags"],
            templates.map(({ name, title, tags }) => [name, title, tags.join(", ")]),
          ),
    );
  }
  const plans = await Promise.all(
    (await project.listPlans()).map(async ({ name, file }) => {
      const plan = await project.plan(file).catch(() => undefined);
      return {
        name,
        title: plan?.title ?? "",
        table: plan ? sourceName(plan.table) : "",
        fills: plan ? Object.values(plan.steps).flatMap(columnsOf) : [],
      };
    }),
  );
  if (options.json) return outJson({ templates, plans });
  out(heading("Templates"));
  out(
    table(
      ["name", "title", "tags"],
      templates.map(({ name, title, tags }) => [name, title, tags.join(", ")]),
    ),
  );
  out(`\n${heading("Plans")}`);
  out(
    table(
      ["name", "table", "fills"],
      plans.map(({ name, table: file, fills }) => [name, file, fills.join(", ")]),
      { width: { 2: 60 } },
    ),
  );
}

async function showPlan(project: Project, name: string, options: CommonOptions): Promise<void> {
  const plan = await project.plan(name);
  if (options.json) return outJson({ plan });
  out(heading(`Plan ${plan.name}`) + (plan.title ? `  ${plan.title}` : ""));
  out(
    table(
      ["", ""],
      [
        ["table", `${sourceName(plan.table)}, key ${keyColumnsOf(plan.table.key).join(", ")}`],
        ...madeOf(plan.table),
        ...Object.entries(plan.related ?? {}).map(([related, source]) => [
          `rows ${related}`,
          `${sourceName(source.table)}, where ${Object.entries(source.match)
            .map(([there, here]) => `${there} is ${here}`)
            .join(" and ")}`,
        ]),
        ["refill", plan.refill],
        [
          "limits",
          Object.entries(plan.limits)
            .map(([limit, value]) => `${limit} ${value}`)
            .join(", ") || "none",
        ],
      ],
    ),
  );
  for (const [stepName, step] of Object.entries(plan.steps)) showStep(stepName, step);
}

/** Of a table whose rows are made of another plan's. */
function madeOf({ items, groups }: Plan["table"]): string[][] {
  if (items) return [["made of", `each item of ${items.column} of ${items.of}${items.carry ? `, with ${items.carry.join(", ")}` : ""}`]];
  if (!groups) return [];
  const by = groups.by === undefined ? `all rows of ${groups.of}` : `groups of ${groups.of} by ${keyColumnsOf(groups.by).join(", ")}`;
  return [
    ["made of", `${by}${groups.when === undefined ? "" : `, when ${groups.when}`}`],
    ...Object.entries(groups.figures).map(([name, figure]) => [
      name,
      Object.entries(figure)
        .map(([key, value]) => `${key}: ${value}`)
        .join(", "),
    ]),
  ];
}

function showStep(name: string, step: Step): void {
  out(
    `\n${heading(`Step ${name}`)}  ${isTemplateStep(step) ? `template ${step.template}` : "plain columns"}${quiet(step.when === undefined ? ", for every row" : `, when ${step.when}`)}`,
  );
  if (!isTemplateStep(step))
    return out(
      table(
        ["column", "made of"],
        Object.entries(step.set).map(([column, source]) => [
          column,
          typeof source === "string" ? source : "cel" in source ? `CEL: ${source.cel}` : "the row itself",
        ]),
      ),
    );
  if (step.clear)
    out(
      table(
        ["rule", "when", "gives"],
        step.clear.map((rule, index) => [
          index + 1,
          rule.when,
          Object.entries(rule.give)
            .map(([part, value]) => `${part} ${JSON.stringify(value)}`)
            .join(", "),
        ]),
      ),
    );
  out(
    Object.keys(step.inputs).length > 0
      ? table(["input", "from column"], Object.entries(step.inputs))
      : quiet("  Each input comes from the column of its own name."),
  );
  out(table(["column", "from part"], Object.entries(step.fill)));
}

async function showTemplate(project: Project, name: string, options: CommonOptions): Promise<void> {
  const { template, file } = await project.template(name);
  const prepared = await project.prepare(template);
  const messages = prepared.render(sampleInputs(prepared));
  if (options.json) return outJson({ template, file, schema: prepared.schema, prompt: messages });
  out(heading(`Template ${template.name}`) + (template.title ? `  ${template.title}` : "") + quiet(`  ${file}`));
  out(`\n${heading("Inputs")}`);
  out(
    table(
      ["name", "kind", "about"],
      prepared.inputs.map(({ name: input, spec }) => [
        (spec as InputSpec).required === false ? `${input} (optional)` : input,
        spec.kind,
        spec.about ?? "",
      ]),
      { width: { 2: 70 } },
    ),
  );
  out(`\n${heading("Answer")}`);
  out(
    table(
      ["part", "kind", "about"],
      prepared.parts.map(({ name: part, spec, tell }) => [part, spec.kind, cut(spec.about ?? tell(), 70)]),
    ),
  );
  if (template.background?.length) {
    const { countTokens } = await import("gpt-tokenizer/encoding/o200k_base");
    out(`\n${heading("Background")}`);
    out(
      table(
        ["document", "tokens"],
        await Promise.all(template.background.map(async (document) => [document, countTokens(await project.text(document))])),
        { right: [1] },
      ),
    );
  }
  out(`\n${heading("Prompt")} ${quiet("with the inputs' samples")}`);
  printPrompt(messages);
}

/** The samples that a template gives for its inputs; a stand-in word where it gives none. */
export function sampleInputs(prepared: Prepared): Record<string, Json> {
  return Object.fromEntries(
    prepared.inputs.map(({ name, spec, kind }) => [name, (spec as InputSpec).sample ?? (kind.takesRows ? [] : `(${name})`)]),
  );
}

export function printPrompt(messages: readonly Message[]): void {
  for (const { role, content } of messages) out(`${quiet(role)}\n${block(content)}`);
}

import { listFiles, runJob, showPlan, showTemplate, type PlanShown, type Project, type TemplateShown } from "../../jobs/index.js";
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
    else if (await project.isPlan(name)) {
      const report = await runJob(showPlan, project, { plan: name });
      if (options.json) outJson(report);
      else printPlan(report);
    } else {
      const report = await runJob(showTemplate, project, { template: name });
      if (options.json) outJson(report);
      else printTemplate(report);
    }
    return 0;
  });
}

async function showAll(project: Project, { find, tag, json }: ShowOptions): Promise<void> {
  const report = await runJob(listFiles, project, { find, tag });
  if (json) return outJson(report);
  const { templates, plans } = report;
  const listed = table(
    ["name", "title", "tags"],
    templates.map(({ name, title, tags, broken }) => [name, broken ? "(has mistakes: see `yoroshi check`)" : title, tags.join(", ")]),
  );
  if (!plans) return out(templates.length === 0 ? "No template has all of that." : listed);
  out(heading("Templates"));
  out(listed);
  out(`\n${heading("Plans")}`);
  out(
    table(
      ["name", "table", "fills"],
      plans.map(({ name, table: file, fills }) => [name, file, fills.join(", ")]),
      { width: { 2: 60 } },
    ),
  );
}

function printPlan({ name, title, table: source, key, madeOf, related, refill, limits, steps }: PlanShown): void {
  out(heading(`Plan ${name}`) + (title ? `  ${title}` : ""));
  const matched = (match: Readonly<Record<string, string>>): string =>
    Object.entries(match)
      .map(([there, here]) => `${there} is ${here}`)
      .join(" and ");
  const limited = Object.entries(limits).map(([limit, value]) => `${limit} ${value}`);
  out(
    table(
      ["", ""],
      [
        ["table", `${source}, key ${key.join(", ")}`],
        ...madeOf.map(({ what, of }) => [what, of]),
        ...related.map((one) => [`rows ${one.name}`, `${one.table}, where ${matched(one.match)}`]),
        ["refill", refill],
        ["limits", limited.join(", ") || "none"],
      ],
    ),
  );
  for (const step of steps) printStep(step);
}

function printStep({ name, template, asks, when, inputs, fills, rules }: PlanShown["steps"][number]): void {
  out(
    `\n${heading(`Step ${name}`)}  ${template === undefined ? "plain columns" : asks === undefined ? `template ${template}` : `questions to ${asks}`}${quiet(when === undefined ? ", for every row" : `, when ${when}`)}`,
  );
  if (template === undefined) return out(table(["column", "made of"], Object.entries(fills)));
  if (rules.length > 0)
    out(
      table(
        ["rule", "when", "gives"],
        rules.map((rule, index) => [
          index + 1,
          rule.when,
          Object.entries(rule.give)
            .map(([part, value]) => `${part} ${JSON.stringify(value)}`)
            .join(", "),
        ]),
      ),
    );
  out(
    Object.keys(inputs).length > 0
      ? table(["input", "from column"], Object.entries(inputs))
      : quiet("  Each input comes from the column of its own name."),
  );
  out(table(["column", "from part"], Object.entries(fills)));
}

function printTemplate({ name, title, file, inputs, parts, background, prompt }: TemplateShown): void {
  out(heading(`Template ${name}`) + (title ? `  ${title}` : "") + quiet(`  ${file}`));
  out(`\n${heading("Inputs")}`);
  out(
    table(
      ["name", "kind", "about"],
      inputs.map(({ name: input, kind, about, required }) => [required ? input : `${input} (optional)`, kind, about]),
      { width: { 2: 70 } },
    ),
  );
  out(`\n${heading("Answer")}`);
  out(
    table(
      ["part", "kind", "about"],
      parts.map(({ name: part, kind, about }) => [part, kind, cut(about, 70)]),
    ),
  );
  if (background.length > 0) {
    out(`\n${heading("Background")}`);
    out(
      table(
        ["document", "tokens"],
        background.map(({ file: document, tokens }) => [document, tokens]),
        { right: [1] },
      ),
    );
  }
  out(`\n${heading("Prompt")} ${quiet("with the inputs' samples")}`);
  printPrompt(prompt);
}

/** The messages as a model sees them. */
export function printPrompt(messages: TemplateShown["prompt"]): void {
  for (const { role, content } of messages) out(`${quiet(role)}\n${block(content)}`);
}

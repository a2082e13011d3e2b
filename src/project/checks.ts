import path from "node:path";
import { scheduleProblem } from "../adapters/schedule/index.js";
import {
  checkPassages,
  checkQuoted,
  checkPlan,
  complain,
  nearest,
  patternsReady,
  planCircle,
  readPlan,
  readTemplate,
  sourceName,
  templateSteps,
  warnModel,
  warnPlan,
  warnTemplate,
  YoroshiError,
  type Complaint,
  type Plan,
  type PlanRead,
  type SourceDocument,
  type Template,
  type Warning,
} from "../core/index.js";
import { tokenizer } from "../files/index.js";
import { mayHaveLedger } from "./ledgers.js";
import { checkAgainst, withKeyCandidates } from "./check-table.js";
import { findFile, readText } from "./files.js";
import type { Project } from "./project-port.js";
import { readPassages } from "./surroundings.js";

/** A project, and where the person who names files in it stands. */
export interface Checked extends Project {
  readonly cwd: string;
  readonly confined: boolean;
}

/** A file's text as it stands, or as it would be: of a text that is given the file need not be there yet. */
async function sourceOf(
  project: Checked,
  what: "template" | "plan",
  nameOrPath: string,
  text: string | undefined,
): Promise<{ readonly file: string; readonly text: string }> {
  const folder = what === "template" ? "templates" : "plans";
  const found = await findFile(project, folder, what, nameOrPath).catch((error: unknown) => {
    if (text === undefined || (error as { code?: string }).code !== "notFound") throw error;
    return { file: path.posix.join(folder, `${nameOrPath}.yaml`) };
  });
  return { file: found.file, text: text ?? (await readText(path.resolve(project.root, found.file), found.file)) };
}

/** Reads a plan; where its key is missing or unknown, the complaint has the columns that could be one. */
export async function readPlanFile(project: Checked, nameOrPath: string, given?: string): Promise<ReturnType<typeof readPlan>> {
  const { file, text } = await sourceOf(project, "plan", nameOrPath, given);
  const read = readPlan(text, file);
  return read.plan ? read : { ...read, complaints: await withKeyCandidates(project.tables, read.document, read.complaints) };
}

/** Every mistake in a template, and in what it names. */
export async function checkTemplateFile(project: Checked, nameOrPath: string, given?: string): Promise<readonly Complaint[]> {
  const { file, text } = await sourceOf(project, "template", nameOrPath, given);
  readTemplate(text, file);
  // A pattern that was met is now held against what will match it.
  await patternsReady();
  const { template, document, complaints } = readTemplate(text, file);
  if (!template) return complaints;
  const found: Complaint[] = checkQuoted(template, document!);
  const names = Object.keys(project.settings.models);
  const uses = [
    ["model", "use", template.model?.use],
    ["secondLook", "use", template.secondLook?.use],
    ["doubt", "ask", template.doubt?.ask],
  ] as const;
  for (const [key, name, use] of uses) {
    if (use !== undefined && names.length > 0 && !names.includes(use))
      found.push(complain("unknownModel", document!.at([key, name]), { name: use, known: names, near: nearest(use, names) }));
  }
  const { legwork } = template;
  const engines = Object.keys(project.settings.search);
  if (legwork?.search && (engines.length === 0 || (legwork.engine !== undefined && !engines.includes(legwork.engine))))
    found.push(
      complain("badValue", document!.at(["legwork", legwork.engine === undefined ? "search" : "engine"]), {
        problem:
          engines.length === 0
            ? "There is no engine to search with. Name one in yoroshi.yaml: `search: { web: { describe: https://…/opensearch.xml } }`."
            : `There is no engine \`${legwork.engine}\` in yoroshi.yaml. There are: ${engines.join(", ")}.`,
      }),
    );
  try {
    found.push(...checkPassages(template, await readPassages(project.root, project.settings.folders, template), file));
    if (found.length > 0) return found;
    await project.prepare(template);
  } catch (error) {
    if (!(error instanceof YoroshiError)) throw error;
    found.push(complain("referenceUnreadable", { file, line: 1, column: 1 }, { problem: error.message }));
  }
  return found;
}

/** Every mistake in a plan, also against its templates and its table. */
export async function checkPlanFile(project: Checked, nameOrPath: string, text?: string): Promise<readonly Complaint[]> {
  await readPlanFile(project, nameOrPath, text);
  await patternsReady();
  const { plan, document, complaints } = await readPlanFile(project, nameOrPath, text);
  if (!plan || !document) return complaints;
  const known = (await project.listTemplates()).map((template) => template.name);
  const templates: Record<string, Template> = {};
  const missing: Complaint[] = [];
  for (const { name, step } of templateSteps(plan)) {
    const loaded = await project.stepTemplate(step).catch((error: unknown) => {
      if (!(error instanceof YoroshiError)) throw error;
      if (error.code === "notApproved" || (error.code === "notFound" && known.includes(step.template)))
        missing.push(complain("badValue", document.at(["steps", name, "version"]), { problem: error.message }));
      return undefined; // the template's own complaints are told with it
    });
    if (loaded) templates[name] = loaded.template;
    else if (!known.includes(step.template))
      missing.push(
        complain("unknownTemplate", document.at(["steps", name, "template"]), {
          name: step.template,
          known,
          near: nearest(step.template, known),
        }),
      );
  }
  missing.push(...watchFaults(project, plan, document), ...(await askedFaults(project, plan, document)));
  if (plan.afterwards && missing.length === 0) missing.push(...(await circleFaults(project, plan, templates, document)));
  if (missing.length > 0) return missing;
  try {
    return await checkAgainst(plan, templates, document, sourceName(plan.table), await project.table(plan));
  } catch (error) {
    if (!(error instanceof YoroshiError)) throw error;
    return [...checkPlan(plan, templates, document), complain("referenceUnreadable", document.at(["table"]), { problem: error.message })];
  }
}

/** Tables that questions are asked of and that are not there, or that are what the answers are written into. */
async function askedFaults(project: Checked, plan: Plan, document: SourceDocument): Promise<Complaint[]> {
  const plans = (await project.listPlans()).map(({ name }) => name);
  const found: Complaint[] = [];
  for (const { name, step } of templateSteps(plan)) {
    if (!step.inquire || plans.includes(step.inquire.of)) continue;
    const { of } = step.inquire;
    const problem = await project.tables
      .rows(project.tables.named(of))
      .then((source) => source.columns())
      .then(
        () => undefined,
        (error: unknown) => (error as Error).message,
      );
    const near = nearest(of, plans);
    if (problem !== undefined)
      found.push(
        complain("badValue", document.at(["steps", name, "inquire", "of"]), {
          problem: `\`${of}\` is no plan, and no table that can be read: ${problem}${near ? ` Did you mean the plan \`${near}\`?` : ""}`,
        }),
      );
  }
  const circle = await askedInCircle(project, plan.name, [plan.name]);
  const [first] = templateSteps(plan).filter(({ step }) => step.inquire);
  if (circle && first)
    found.push(
      complain("badValue", document.at(["steps", first.name, "inquire", "of"]), {
        problem: `it would read what it is about to fill: ${circle.join(" reads ")}.`,
      }),
    );
  return found;
}

/** The way on which a plan would ask questions of itself, over others and the plans that rows are made of. */
async function askedInCircle(project: Checked, name: string, path: readonly string[]): Promise<readonly string[] | undefined> {
  const { plan } = await readPlanFile(project, name).catch(() => ({ plan: undefined }));
  if (!plan) return undefined;
  const reads = [
    ...templateSteps(plan).flatMap(({ step }) => (step.inquire ? [step.inquire.of] : [])),
    (plan.table.items ?? plan.table.groups)?.of,
  ];
  for (const of of reads) {
    if (of === undefined) continue;
    if (path.includes(of)) return [...path, of];
    const found = await askedInCircle(project, of, [...path, of]);
    if (found) return found;
  }
  return undefined;
}

/** Plans that would set each other off by their rules; others that have mistakes of their own are left out. */
async function circleFaults(
  project: Checked,
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
): Promise<Complaint[]> {
  const others: PlanRead[] = [];
  for (const { name } of await project.listPlans()) {
    if (name === plan.name) continue;
    const { plan: other } = await readPlanFile(project, name).catch(() => ({ plan: undefined }));
    if (!other) continue;
    const own: Record<string, Template | undefined> = {};
    for (const { name: step, step: about } of templateSteps(other))
      own[step] = (await project.stepTemplate(about).catch(() => undefined))?.template;
    others.push({ plan: other, templates: own });
  }
  const path = planCircle(plan.name, [{ plan, templates }, ...others]);
  return path ? [complain("plansInCircle", document.at(["afterwards"]), { path })] : [];
}

/** Times that cannot be read, or never come. */
function watchFaults({ settings, clock }: Checked, { watch }: Plan, document: SourceDocument): Complaint[] {
  if (watch?.every === undefined) return [];
  const problem = scheduleProblem(watch.every, settings.timeZone, clock.now());
  if (problem === undefined) return [];
  const hint = "Expected minute, hour, day, month, weekday, as in `0 7 * * 1-5` (at seven on workdays) or `*/10 7-19 * * *`";
  return [complain("badValue", document.at(["watch", "every"]), { problem: `\`${watch.every}\` is no schedule: ${problem}. ${hint}.` })];
}

/** What works in a plan and is yet likely to give worse answers; told until it has filled. */
export async function planWarnings(project: Checked, nameOrPath: string, text?: string): Promise<readonly Warning[]> {
  const { plan, document } = await readPlanFile(project, nameOrPath, text);
  if (!plan || !document || (await hasFilled(project, plan))) return [];
  try {
    return warnPlan(plan, document, { name: sourceName(plan.table), columns: await (await project.table(plan)).columns() });
  } catch (error) {
    if (error instanceof YoroshiError) return []; // a mistake, told as one
    throw error;
  }
}

async function hasFilled(project: Checked, { name }: Plan): Promise<boolean> {
  // Looking makes no ledger.
  return mayHaveLedger(project.root, project.settings) && (await project.ledger().runs.find("fill", name, 1)).length > 0;
}

/** What works in a template and is yet likely to give worse answers; none while it has mistakes. */
export async function templateWarnings(project: Checked, nameOrPath: string, given?: string): Promise<readonly Warning[]> {
  const { file, text } = await sourceOf(project, "template", nameOrPath, given);
  const { template, document } = readTemplate(text, file);
  if (!template || !document) return [];
  const prepared = await project.prepare(template).catch((error: unknown) => {
    if (error instanceof YoroshiError) return undefined; // a mistake, told as one
    throw error;
  });
  const name = template.model?.use ?? Object.keys(project.settings.models)[0];
  const entry = name === undefined ? undefined : project.settings.models[name];
  if (!prepared || !entry) return warnTemplate(template, document);
  // The tokenizer takes a second to load, and is needed only where there is a room to measure.
  const count = entry.context === undefined ? () => 0 : await tokenizer();
  return [
    ...warnTemplate(template, document),
    ...warnModel(
      prepared,
      document,
      { name: name!, can: entry.can, context: entry.context, longestSide: entry.pictures?.longestSide },
      count,
    ),
  ];
}

import { YoroshiError } from "../../core/ground/index.js";
import { copyTemplate, draftTemplate, listStarters, runJob, writeStarter, type DraftReport, type Project } from "../../jobs/index.js";
import { block, good, heading, money, note, out, outJson, quiet, table, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface NewOptions extends CommonOptions {
  readonly from?: string | undefined;
  readonly copy?: string | undefined;
  readonly describe?: string | undefined;
  readonly table?: string | undefined;
  readonly write?: boolean | undefined;
}

/** `yoroshi new`: lists the starters, or makes a template from a starter, another template, or a description. */
export async function newTemplate(name: string | undefined, options: NewOptions): Promise<number> {
  const ways = [options.from, options.copy, options.describe].filter((way) => way !== undefined).length;
  if (name === undefined && ways === 0) return list(options);
  if (name === undefined) throw new YoroshiError("badOption", { option: "name", problem: "name the new template: `yoroshi new NAME …`." });
  if (ways !== 1)
    throw new YoroshiError("badOption", {
      option: "--from",
      problem: "say where to begin: --from STARTER (`yoroshi new` lists them), --copy TEMPLATE, or --describe TEXT with --table FILE.",
    });
  return withProject(options, async (project) => {
    if (options.describe !== undefined) return draft(project, name, options.describe, options);
    const report =
      options.from === undefined
        ? await runJob(copyTemplate, project, { from: options.copy, template: name })
        : await runJob(writeStarter, project, { starter: options.from, template: name });
    if (options.json) outJson(report);
    else {
      for (const file of report.files) out(`${good("written")}  ${file}`);
      out(quiet(`Put in your own words, then: yoroshi check ${name}, yoroshi try ${name}`));
    }
    return 0;
  });
}

async function list(options: NewOptions): Promise<number> {
  const { starters } = await runJob(listStarters, undefined, {});
  if (options.json) outJson({ starters });
  else {
    out(heading("Starters"));
    out(
      table(
        ["name", "what it does", "tags"],
        starters.map((starter) => [starter.name, starter.title, starter.tags.join(", ")]),
      ),
    );
    out(`\n${quiet("yoroshi new NAME --from STARTER writes templates/NAME.yaml; --describe TEXT --table FILE drafts one")}`);
  }
  return 0;
}

/** Shows what the model drafted; it is written only when told to. */
async function draft(project: Project, template: string, description: string, options: NewOptions): Promise<number> {
  if (options.table === undefined)
    throw new YoroshiError("badOption", {
      option: "--table",
      problem: "name the table (a CSV file) whose columns the template shall read.",
    });
  const report = await runJob(draftTemplate, project, { template, description, table: options.table, write: options.write });
  if (options.json) outJson(report);
  else printDraft(report, project.settings.currency);
  return report.usable ? 0 : 1;
}

function printDraft(report: DraftReport, currency: string): void {
  const { file, text, usable, written, complaints, warnings } = report;
  if (text === undefined) return out(`${warn("No draft:")} ${report.reason ?? report.state}.`);
  out(heading(`Draft of ${file}`) + quiet(`  ${money(report.spent, currency)}`));
  out(block(text.trimEnd()));
  for (const { message } of complaints) out(`${warn("wrong:")} ${message}`);
  for (const { message } of warnings) out(`${warn("better:")} ${message}`);
  const next = usable
    ? "Nothing was written. The same command with --write writes it, without asking again."
    : "It cannot be used as it is. Describe it in other words, or take a starter.";
  out(written ? `${good("written")}  ${file}` : quiet(next));
  if (report.standin) note(warn("Drafted by the offline stand-in, which is poor at it. Name a model in yoroshi.yaml for real work."));
}

import { existsSync } from "node:fs";
import path from "node:path";
import { formatMoney, isYoroshiError, ModelFailure, readTemplate, warnTemplate, YoroshiError } from "../../core/index.js";
import { modelError } from "../../jobs/index.js";
import { copyTemplate, draftTemplate, listStarters, writeStarter, writeTemplate, type Project } from "../../project/index.js";
import { block, good, heading, note, out, outJson, quiet, table, warn } from "../print/print.js";
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
    const files =
      options.from !== undefined
        ? await writeStarter(project.root, options.from, name)
        : [await copyTemplate(project, options.copy!, name)];
    if (options.json) outJson({ template: name, from: options.from ?? options.copy, files });
    else {
      for (const file of files) out(`${good("written")}  ${file}`);
      out(quiet(`Put in your own words, then: yoroshi check ${name}, yoroshi try ${name}`));
    }
    return 0;
  });
}

async function list(options: NewOptions): Promise<number> {
  const starters = await listStarters();
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

/** Shows what the model drafted; writes it only when told to. */
async function draft(project: Project, name: string, description: string, options: NewOptions): Promise<number> {
  if (options.table === undefined)
    throw new YoroshiError("badOption", {
      option: "--table",
      problem: "name the table (a CSV file) whose columns the template shall read.",
    });
  const file = path.resolve(project.root, options.table);
  const source = existsSync(options.table) || !existsSync(file) ? options.table : file;
  const { isStandin, model } = await project.models.open(undefined);
  const drafted = await draftTemplate(project, name, description, source).catch((error: unknown) => {
    throw error instanceof ModelFailure && !isYoroshiError(error) ? modelError(error, model.host) : error;
  });
  const { text, answer, complaints } = drafted;
  const usable = text !== undefined && complaints.length === 0;
  const write = usable && options.write === true;
  if (write) await writeTemplate(project.root, name, text);
  if (options.json)
    outJson({
      template: name,
      file: drafted.file,
      written: write,
      state: answer.state,
      text,
      complaints,
      spent: answer.spent / 1e6,
      standin: isStandin,
    });
  else if (text === undefined) out(`${warn("No draft:")} ${answer.reason ?? answer.state}.`);
  else {
    out(heading(`Draft of ${drafted.file}`) + quiet(`  ${formatMoney(answer.spent, project.settings.currency)}`));
    out(block(text.trimEnd()));
    for (const { message } of complaints) out(`${warn("wrong:")} ${message}`);
    const reading = usable ? readTemplate(text, drafted.file) : undefined;
    if (reading?.template && reading.document)
      for (const { message } of warnTemplate(reading.template, reading.document)) out(`${warn("better:")} ${message}`);
    out(
      write
        ? `${good("written")}  ${drafted.file}`
        : quiet(
            usable
              ? "Nothing was written. The same command with --write writes it, without asking again."
              : "It cannot be used as it is. Describe it in other words, or take a starter.",
          ),
    );
    if (isStandin) note(warn("Drafted by the offline stand-in, which is poor at it. Name a model in yoroshi.yaml for real work."));
  }
  return usable ? 0 : 1;
}

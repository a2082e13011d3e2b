import { YoroshiError } from "../../core/index.js";
import { listStarters, writeStarter } from "../../project/index.js";
import { good, heading, out, outJson, quiet, table } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface NewOptions extends CommonOptions {
  readonly from?: string | undefined;
}

/** `yoroshi new`: lists the starters, or writes one as a new template of the project. */
export async function newTemplate(name: string | undefined, options: NewOptions): Promise<number> {
  if (name === undefined || options.from === undefined) {
    if (name !== undefined) throw new YoroshiError("badOption", { option: "--from", problem: "name a starter. `yoroshi new` lists them." });
    const starters = await listStarters();
    if (options.json) outJson({ starters });
    else {
      out(heading("Starters"));
      out(table(["name", "what it does", "tags"], starters.map((starter) => [starter.name, starter.title, starter.tags.join(", ")])));
      out(`\n${quiet("yoroshi new NAME --from STARTER writes templates/NAME.yaml")}`);
    }
    return 0;
  }
  const { from } = options;
  return withProject(options, async (project) => {
    const files = await writeStarter(project.root, from, name);
    if (options.json) outJson({ template: name, from, files });
    else {
      for (const file of files) out(`${good("written")}  ${file}`);
      out(quiet(`Put in your own words, then: yoroshi check ${name}, yoroshi try ${name}`));
    }
    return 0;
  });
}

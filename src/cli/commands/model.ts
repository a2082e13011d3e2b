import { YoroshiError } from "../../core/ground/index.js";
import { addModel, checkModels, runJob, type JobInput, type JobReport } from "../../jobs/index.js";
import { chooserAt } from "../chooser.js";
import { personAtTerminal } from "../person.js";
import { bad, duration, good, heading, note, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface AddOptions extends CommonOptions {
  readonly endpoint?: string | undefined;
  readonly id?: string | undefined;
  readonly keyEnv?: string | undefined;
  readonly keyFile?: string | undefined;
  readonly keyCommand?: string | undefined;
  readonly inputPrice?: number | undefined;
  readonly outputPrice?: number | undefined;
  readonly confirm?: boolean | undefined;
}

/** `yoroshi model add`: asks for address and model, finds out what the host can do, and writes the entry. */
export async function add(name: string, options: AddOptions): Promise<number> {
  return withProject(options, async (project) => {
    const chooser = chooserAt(options.json === true);
    const endpoint = options.endpoint ?? (await chooser.words("The host's address (up to and without /chat/completions)", ""));
    const id = options.id ?? (await chooser.words("The model's id, as the host names it", ""));
    if (endpoint === "" || id === "")
      throw new YoroshiError("badOption", {
        option: "model add",
        problem: "say the address and the model: --endpoint <address> --id <model>.",
      });
    const key = keyOf(options);
    const price =
      options.inputPrice === undefined ? undefined : { input: options.inputPrice, output: options.outputPrice ?? options.inputPrice };
    const confirm = options.confirm === true || (await confirmed(key, options));
    const report = await runJob(addModel, project, { name, endpoint, id, key, price, confirm });
    if (options.json) outJson(report);
    else {
      out(
        `${good("written")}  ${name} in ${report.file}${price === undefined ? quiet("; add its price, or no cap can hold: --input-price, --output-price") : ""}`,
      );
      if (report.abilities) for (const line of told(report.abilities)) out(`  ${line}`);
      if (report.keyMissing !== undefined) {
        out(warn(`${report.keyMissing} is not set, so nothing could be asked yet.`));
        out(
          quiet(
            `Put the key into .env in the project (${report.keyMissing}=…; it is never packed), or into the environment; then \`yoroshi model check ${name}\`.`,
          ),
        );
      }
    }
    return 0;
  });
}

type Key = NonNullable<JobInput<typeof addModel>["key"]>;

function keyOf({ keyEnv, keyFile, keyCommand }: AddOptions): Key {
  if (keyFile !== undefined) return { file: keyFile };
  // Words apart from each other: no shell reads them.
  if (keyCommand !== undefined) return { command: keyCommand.trim().split(/\s+/) };
  return { env: keyEnv ?? "YOROSHI_KEY" };
}

/** A project may come from somebody else: what it runs is shown, and said yes to once on each machine. */
async function confirmed(key: Key, { json }: CommonOptions): Promise<boolean> {
  if (!("command" in key) || json || !process.stdin.isTTY) return false;
  const person = personAtTerminal();
  const said = await person.key(`May this project run \`${key.command.join(" ")}\` on this machine to get the key? y/n `);
  person.close();
  return said?.toLowerCase() === "y";
}

type Abilities = NonNullable<JobReport<typeof addModel>["abilities"]>;

function told({
  jsonSchema,
  logProbabilities,
  images,
  usage,
  requestsPerMinute,
  tokensPerMinute,
  answeredAs,
  tookMs,
}: Abilities): string[] {
  const can = (what: string, does: boolean): string => (does ? good(`✓ ${what}`) : quiet(`– ${what}`));
  return [
    `${can("JSON Schema", jsonSchema)}   ${can("log probabilities", logProbabilities)}   ${can("pictures", images)}   ${can("counts its tokens", usage)}`,
    quiet(
      [
        `answered in ${duration(tookMs)}`,
        requestsPerMinute && `allows ${requestsPerMinute} requests a minute`,
        tokensPerMinute && `${tokensPerMinute} tokens a minute`,
        answeredAs && `says that ${answeredAs} answered`,
      ]
        .filter(Boolean)
        .join(", "),
    ),
  ];
}

/** `yoroshi model check`: what the hosts of the project's models can do. */
export async function check(
  name: string | undefined,
  options: CommonOptions & { readonly confirm?: boolean | undefined },
): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(checkModels, project, { name, confirm: options.confirm });
    if (options.json) outJson(report);
    else if (report.models.length === 0)
      out("No model is named in yoroshi.yaml; the offline stand-in answers. `yoroshi model add <name>` names one.");
    else
      for (const one of report.models) {
        out(`${heading(one.name)}  ${quiet(one.endpoint)}`);
        if (one.abilities) for (const line of told(one.abilities)) out(`  ${line}`);
        else out(one.problem ? `  ${bad(one.problem)}` : quiet("  ships with Yoroshi; nothing to find out"));
        for (const line of one.differs) note(warn(`  ${line}`));
      }
    return report.models.some(({ problem }) => problem !== undefined) ? 3 : 0;
  });
}

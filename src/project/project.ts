import { existsSync } from "node:fs";
import path from "node:path";
import type { Database } from "../adapters/sql/index.js";
import { systemClock } from "../adapters/system-clock/index.js";
import {
  declined,
  gatherInputs,
  inputCellsOf,
  kindOf,
  prepare,
  readApprovals,
  readPlan,
  readTemplate,
  runValues,
  toMicros,
  versionText,
  YoroshiError,
  type Answer,
  type CellRecord,
  type Clock,
  type Complaint,
  type FillSetup,
  type Json,
  type Ledger,
  type LedgerCarrier,
  type Micros,
  type Plan,
  type Prepared,
  type SampleOptions,
  type Samples,
  type Table,
  type Template,
  type TemplateStep,
  type VersionRecord,
  type WorkQueue,
  type Warning,
  inquireTemplate,
} from "../core/index.js";
import { ledgerCarrier, openLedger, openQueue } from "./ledgers.js";
import { AskedWorkings } from "./asked-table.js";
import { ProjectAsking, type AskedOptions } from "./asking.js";
import type { Project, ProjectOptions } from "./project-port.js";
import { checkPlanFile, checkTemplateFile, planWarnings, readPlanFile, templateWarnings } from "./checks.js";
import { readProjectSamples } from "./read-samples.js";
import { readEnvironment } from "./environment.js";
import { FileCache } from "./file-cache.js";
import { FillSetups } from "./fill-setups.js";
import { findFile, findUpwards, insideProject, listFiles, readText, type NamedFile } from "./files.js";
import { projectKeys } from "./keys.js";
import { projectModels, type Models } from "./models.js";
import type { RunLog } from "../adapters/run-log/index.js";
import type { LoadedTemplate, TemplateModels } from "./loaded.js";
import { PROJECT_FILE, PROJECT_FORMAT, readProjectFile, type ProjectFile } from "./project-file.js";
import { projectDatabases, type Databases } from "./databases.js";
import { sha256 } from "./sha256.js";
import { ProjectSources } from "./sources.js";
import { projectTables, type Tables } from "./tables.js";
import { plannedColumns, RelatedTables } from "./related-tables.js";
import { readReferences, readSurroundings, surroundingFiles } from "./surroundings.js";

/**
 * Opens the project around a folder.
 *
 * @throws YoroshiError `noProject`, `filesInvalid`, `fileUnreadable`.
 * @example
 * ```ts
 * import { openProject } from "yoroshi/node";
 *
 * const project = await openProject({ cwd: "marrowby" });
 * const answer = await project.ask("hazard-triage", { report: "The line parted at the aft bitts." });
 * answer.state; // => "answered"
 * await project.close();
 * ```
 */
export async function openProject(options: ProjectOptions = {}): Promise<Project> {
  const cwd = path.resolve(options.cwd ?? process.cwd());
  const root = findUpwards(cwd, PROJECT_FILE) ?? (options.orNew && existsSync(cwd) ? cwd : undefined);
  if (root === undefined) throw new YoroshiError("noProject", { folder: cwd });
  const isBegun = existsSync(path.join(root, PROJECT_FILE));
  const text = isBegun ? await readText(path.join(root, PROJECT_FILE), PROJECT_FILE) : `yoroshi: ${PROJECT_FORMAT}\n`;
  const read = readProjectFile(text, PROJECT_FILE);
  if (!read.project) throw new YoroshiError("filesInvalid", { complaints: read.complaints });
  return new OpenProject(
    root,
    cwd,
    read.project,
    options.clock ?? systemClock(),
    options.onNotice ?? (() => undefined),
    options.confined === true,
    isBegun,
  );
}

class OpenProject implements Project {
  readonly models: Models;
  readonly tables: Tables;
  readonly monthlyCap: Micros | undefined;
  readonly sha256 = sha256;
  readonly asking: ProjectAsking;
  readonly #databases: Databases;
  #ledger: Ledger | undefined;
  readonly #sources: ProjectSources;
  readonly #setups: FillSetups;
  /** A template that is loaded stands as it is; a changed file is loaded anew. */
  readonly #versions = new WeakMap<Template, Promise<VersionRecord>>();
  readonly #recorded = new Set<(cells: readonly CellRecord[]) => void>();
  #closing: Promise<void> | undefined;
  #isClosed = false;
  readonly #files = new FileCache();
  /** Template, as it was named -> its file. */
  readonly #found = new Map<string, string>();

  constructor(
    readonly root: string,
    readonly cwd: string,
    readonly settings: ProjectFile,
    readonly clock: Clock,
    readonly onNotice: (text: string) => void,
    readonly confined: boolean,
    readonly isBegun: boolean,
  ) {
    const { spendPerMonth } = settings.limits;
    this.monthlyCap = spendPerMonth === undefined ? undefined : toMicros(spendPerMonth);
    this.asking = new ProjectAsking(this);
    this.#sources = new ProjectSources(this);
    const environment = readEnvironment(root);
    this.models = projectModels(settings, clock, onNotice, projectKeys(root, environment));
    this.#databases = projectDatabases(root, settings, clock, onNotice, environment);
    this.tables = projectTables({ root, cwd, folders: settings.folders, made: settings.csv, confined, onNotice }, this.#databases);
    const related = new RelatedTables(
      this.tables,
      (name) => plannedColumns(this, name),
      (file) => existsSync(path.resolve(root, file)),
    );
    const asked = new AskedWorkings({ isPlan: (plan) => this.isPlan(plan), tables: this.tables });
    this.#setups = new FillSetups(this, this.#sources, related, asked);
  }

  ledger(): Ledger {
    if (this.#isClosed) throw new YoroshiError("projectClosed", {});
    const { root, settings, clock, onNotice } = this;
    const plans = async (): Promise<string[]> => (await this.listPlans()).map(({ name }) => name);
    return (this.#ledger ??= this.#observed(openLedger({ root, settings, clock, onNotice, plans }, this.#databases)));
  }

  queue(): WorkQueue {
    return openQueue(this.settings, this.#databases, this.onNotice);
  }

  ledgerCarrier(ledger: ProjectFile["ledger"]): LedgerCarrier {
    return ledgerCarrier(this.root, this.#databases, ledger);
  }

  /** A ledger that tells who listens which cells were recorded. */
  #observed(ledger: Ledger): Ledger {
    return {
      ...ledger,
      record: async (entry) => {
        await ledger.record(entry);
        if (entry.cells && entry.cells.length > 0) for (const listener of this.#recorded) listener(entry.cells);
      },
    };
  }

  onRecorded(listener: (cells: readonly CellRecord[]) => void): () => void {
    this.#recorded.add(listener);
    return () => void this.#recorded.delete(listener);
  }

  listTemplates(): Promise<NamedFile[]> {
    return listFiles(this.root, "templates");
  }

  listPlans(): Promise<NamedFile[]> {
    return listFiles(this.root, "plans");
  }

  async template(nameOrPath: string): Promise<LoadedTemplate> {
    const known = this.#found.get(nameOrPath);
    if (known !== undefined) {
      try {
        return await this.#readTemplate(known);
      } catch (error) {
        if (existsSync(path.resolve(this.root, known))) throw error;
      }
    }
    const { file } = await findFile(this, "templates", "template", nameOrPath);
    this.#found.set(nameOrPath, file);
    return this.#readTemplate(file);
  }

  #readTemplate(file: string): Promise<LoadedTemplate> {
    const absolute = path.resolve(this.root, file);
    return this.#files.get(absolute, [absolute], "", async () => {
      const text = await readText(absolute, file);
      const { template, complaints } = readTemplate(text, file);
      if (!template) throw new YoroshiError("filesInvalid", { complaints });
      return { template, file, text };
    });
  }

  async stepTemplate({ template, version, inquire }: Pick<TemplateStep, "template" | "version" | "inquire">): Promise<LoadedTemplate> {
    if (inquire) return { template: inquireTemplate(), file: "(of our own)", text: "" };
    const loaded = await this.template(template);
    if (version === undefined) return loaded;
    // Today's file is a version, too.
    const today = await this.version(loaded);
    const { name } = loaded.template;
    const wanted = version === "approved" ? (await readApprovals(this.ledger(), name)).at(-1)?.version : version;
    if (wanted === undefined) throw new YoroshiError("notApproved", { template: name });
    if (wanted === today.version) return loaded;
    const all = await this.ledger().versions.all(name);
    const found = all.find((one) => one.version === wanted);
    if (!found)
      throw new YoroshiError("notFound", {
        what: `version of ${name}`,
        name: String(wanted),
        known: all.map((one) => String(one.version)),
      });
    const read = readTemplate(found.text, `${loaded.file} (version ${wanted})`);
    if (!read.template) throw new YoroshiError("filesInvalid", { complaints: read.complaints });
    return { template: read.template, file: loaded.file, text: found.text };
  }

  async plan(nameOrPath: string): Promise<Plan> {
    const { plan, complaints } = await readPlanFile(this, nameOrPath);
    if (!plan) throw new YoroshiError("filesInvalid", { complaints });
    return plan;
  }

  async isPlan(nameOrPath: string): Promise<boolean> {
    if (/\.ya?ml$/.test(nameOrPath)) {
      const { file } = await findFile(this, "plans", "plan", nameOrPath);
      return /^yoroshi:\s*plan\//m.test(await readText(path.resolve(this.root, file), file));
    }
    return (await this.listPlans()).some((plan) => plan.name === nameOrPath);
  }

  async derivedFrom(nameOrPath: string): Promise<readonly string[]> {
    const { name: first } = await this.plan(nameOrPath);
    const others = (
      await Promise.all(
        (await this.listPlans()).map(async ({ file }) => readPlan(await readText(path.resolve(this.root, file), file), file).plan),
      )
    ).filter((plan) => plan !== undefined);
    const found: string[] = [];
    for (let made = [first]; made.length > 0;) {
      made = others
        .filter(
          ({ name, table: { items, groups } }) => made.includes((items ?? groups)?.of ?? "") && name !== first && !found.includes(name),
        )
        .map(({ name }) => name);
      found.push(...made);
    }
    return found;
  }

  async check(what: "template" | "plan", nameOrPath: string, text?: string): Promise<readonly Complaint[]> {
    return what === "template" ? checkTemplateFile(this, nameOrPath, text) : checkPlanFile(this, nameOrPath, text);
  }

  async warnings(what: "template" | "plan", nameOrPath: string, text?: string): Promise<readonly Warning[]> {
    return what === "template" ? templateWarnings(this, nameOrPath, text) : planWarnings(this, nameOrPath, text);
  }

  text(file: string): Promise<string> {
    return readText(insideProject(this.root, file, this.settings.folders), file);
  }

  async prepare(template: Template): Promise<Prepared> {
    const run = runValues(this.clock.now(), this.settings.timeZone);
    const make = async (): Promise<Prepared> => {
      const surroundings = await readSurroundings(this.root, this.settings.folders, this.tables, template);
      const namesSome = template.legwork !== undefined || Object.values(template.inputs).some(({ kind }) => kindOf(kind).source);
      const sources = namesSome ? this.#sources : undefined;
      return prepare(template, await readReferences(this.tables, template), { ...surroundings, run, sources });
    };
    const files = surroundingFiles(template);
    // Rows of a database tell no change.
    return files === undefined
      ? make()
      : this.#files.get(
          template,
          files.map((file) => path.resolve(this.root, file)),
          run.now,
          make,
        );
  }

  async openModels({ model, secondLook, doubt }: Template, options: { readonly asks?: boolean } = {}): Promise<TemplateModels> {
    const names = [secondLook?.use, doubt?.ask].filter((name) => name !== undefined);
    const others = await Promise.all(names.map(async (name) => [name, (await this.models.open(name, options)).model] as const));
    return { ...(await this.models.open(model?.use, options)), others: Object.fromEntries(others) };
  }

  async ask(nameOrPath: string, inputs: Readonly<Record<string, Json>>, options: AskedOptions = {}): Promise<Answer> {
    const loaded = await this.template(nameOrPath);
    const prepared = await this.prepare(loaded.template);
    const reading = await gatherInputs(prepared, inputCellsOf(prepared, inputs));
    if (reading.state !== "ready") return declined(reading.reason);
    return (await this.askLoaded(loaded, prepared, await this.openModels(loaded.template), reading.inputs, options)).answer;
  }

  askLoaded(
    loaded: LoadedTemplate,
    prepared: Prepared,
    models: TemplateModels,
    inputs: Readonly<Record<string, Json>>,
    options?: AskedOptions,
  ): Promise<{ answer: Answer; known: boolean }> {
    const version = async (): Promise<number> => (await this.version(loaded)).version;
    return this.asking.ask({ subject: loaded.template.name, prepared, version, models, inputs }, options);
  }

  async runLog(plan: string): Promise<RunLog> {
    // Loaded when a fill begins: no other command needs them.
    const [{ runLog }, { telemetry }] = await Promise.all([
      import("../adapters/run-log/index.js"),
      import("../adapters/telemetry/index.js"),
    ]);
    const day = new Date(this.clock.now()).toISOString().slice(0, 10);
    const log = runLog(path.join(this.root, ".yoroshi", "runs", `${day}-${plan}.jsonl`));
    const traced = telemetry();
    return { ...log, observed: (model) => log.observed(traced(model)) };
  }

  version({ template, text }: LoadedTemplate): Promise<VersionRecord> {
    let version = this.#versions.get(template);
    if (!version) {
      version = this.ledger().versions.of(template.name, { hash: versionText(template), text, at: this.clock.now() });
      this.#versions.set(template, version);
      version.catch(() => this.#versions.delete(template));
    }
    return version;
  }

  async table(plan: Plan, inPlace = false): Promise<Table> {
    return (await this.#setups.tableOf(plan, inPlace, [])).table;
  }

  fillSetup(
    nameOrPath: string,
    { inPlace = false, asks = true }: { readonly inPlace?: boolean; readonly asks?: boolean } = {},
  ): Promise<{ setup: FillSetup; isStandin: boolean }> {
    return this.#setups.of(nameOrPath, { inPlace, asks });
  }

  samples(prepared: Prepared, file: string | undefined, options: SampleOptions = {}): Promise<Samples> {
    return readProjectSamples(this, prepared, file, options);
  }

  samplesFile(template: string, file: string | undefined): string {
    if (file === undefined) return path.join("samples", `${template}.csv`);
    const absolute = path.resolve(this.confined ? this.root : this.cwd, file);
    return path.relative(this.root, this.confined ? insideProject(this.root, absolute, this.settings.folders) : absolute);
  }

  [Symbol.asyncDispose](): Promise<void> {
    return this.close();
  }

  database(name: string): Promise<Database> {
    return this.#databases.open(name);
  }

  place(file: string): string {
    return insideProject(this.root, file, this.settings.folders);
  }

  async databaseTables(database: string): Promise<readonly string[]> {
    const { db } = await this.#databases.open(database);
    const tables = await db.introspection.getTables();
    return tables.map(({ name, schema }) => (schema === undefined || schema === "public" ? name : `${schema}.${name}`)).sort();
  }

  close(): Promise<void> {
    return (this.#closing ??= this.#close());
  }

  async #close(): Promise<void> {
    try {
      await this.asking.close();
      this.#isClosed = true;
      await this.#sources.close();
      await this.models.close();
      await this.#databases.close();
      await this.#setups.related.close();
    } finally {
      // Whatever cannot be closed: a ledger's connections would keep the process.
      this.#isClosed = true;
      await this.#ledger?.close();
    }
  }
}

import * as crypto from "node:crypto";
import { existsSync } from "node:fs";
import path from "node:path";
import { sqliteLedger } from "../adapters/sqlite-ledger/index.js";
import { systemClock } from "../adapters/system-clock/index.js";
import {
  derivedTable,
  groupRows,
  itemRows,
  figuresReadAs,
  keyColumnsOf,
  readAs,
  wantedOnce,
  withOwnStep,
  checkPassages,
  checkPlan,
  complain,
  nearest,
  patternsReady,
  prepare,
  readPlan,
  declined,
  inputCellsOf,
  readInputs,
  MARK_COLUMN,
  partPaths,
  readSamples,
  readTemplate,
  refanged,
  sourceName,
  toMicros,
  runValues,
  SET_COLUMN,
  templateSteps,
  versionText,
  warnModel,
  warnPlan,
  warnTemplate,
  YoroshiError,
  type Answer,
  type Clock,
  type Complaint,
  type Asking,
  type FillSetup,
  type Json,
  type Ledger,
  type Micros,
  type Plan,
  type Prepared,
  type Related,
  type SampleOptions,
  type Samples,
  type Sha256,
  type Table,
  type Template,
  type VersionRecord,
  type Wanted,
  type Warning,
} from "../core/index.js";
import { ProjectAsking, type AskedOptions } from "./asking.js";
import type { Project, ProjectOptions } from "./project-port.js";
import { checkAgainst, withKeyCandidates } from "./check-table.js";
import { plainSamples, plainTable } from "./written-there.js";
import { FileCache } from "./file-cache.js";
import { findFile, findUpwards, insideProject, listFiles, readText, type NamedFile } from "./files.js";
import { projectModels, type Models } from "./models.js";
import type { RunLog } from "../adapters/run-log/index.js";
import type { LoadedTemplate, TemplateModels } from "./loaded.js";
import { PROJECT_FILE, readProjectFile, type ProjectFile } from "./project-file.js";
import { projectDatabases, type Databases } from "./databases.js";
import { projectTables, type Tables } from "./tables.js";
import { readPassages, readReferences, readSurroundings, relatedOf, surroundingFiles } from "./surroundings.js";

/**
 * Opens the project around a folder.
 *
 * @throws YoroshiError `noProject`, `filesInvalid`, `fileUnreadable`.
 */
export async function openProject(options: ProjectOptions = {}): Promise<Project> {
  const cwd = path.resolve(options.cwd ?? process.cwd());
  const root = findUpwards(cwd, PROJECT_FILE);
  if (root === undefined) throw new YoroshiError("noProject", { folder: cwd });
  const read = readProjectFile(await readText(path.join(root, PROJECT_FILE), PROJECT_FILE), PROJECT_FILE);
  if (!read.project) throw new YoroshiError("filesInvalid", { complaints: read.complaints });
  return new OpenProject(root, cwd, read.project, options.clock ?? systemClock(), options.onNotice ?? (() => undefined));
}

// `hash` came with Node 20.12.
const { createHash, hash } = crypto as typeof crypto & { hash?: (name: string, text: string) => string };

/** Node's own hash: several times faster than the portable one. */
const sha256: Sha256 = (text) => (hash ? hash("sha256", text) : createHash("sha256").update(text).digest("hex"));

interface SetupOptions {
  readonly inPlace?: boolean | undefined;
  readonly asks?: boolean | undefined;
  /** The plans whose rows are made of this one's. */
  readonly within?: readonly string[] | undefined;
  /** Columns that those read as numbers or days. */
  readonly reads?: Readonly<Record<string, Wanted>> | undefined;
}

class OpenProject implements Project {
  readonly models: Models;
  readonly tables: Tables;
  readonly monthlyCap: Micros | undefined;
  readonly sha256 = sha256;
  readonly asking: ProjectAsking;
  readonly #databases: Databases;
  #ledger: Ledger | undefined;
  /** Look-ups to close with the project. */
  readonly #open: Related[] = [];
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
  ) {
    const { spendPerMonth } = settings.limits;
    this.monthlyCap = spendPerMonth === undefined ? undefined : toMicros(spendPerMonth);
    this.asking = new ProjectAsking(this);
    this.models = projectModels(settings, clock, onNotice);
    this.#databases = projectDatabases(root, settings, clock, onNotice);
    this.tables = projectTables(root, cwd, settings.folders, this.#databases, settings.csv, onNotice);
  }

  ledger(): Ledger {
    if (this.#isClosed) throw new YoroshiError("projectClosed", {});
    return (this.#ledger ??= sqliteLedger(insideProject(this.root, path.join(".yoroshi", "ledger.sqlite"))));
  }

  listTemplates(): Promise<NamedFile[]> {
    return listFiles(this.root, "templates");
  }

  listPlans(): Promise<NamedFile[]> {
    return listFiles(this.root, "plans");
  }

  async template(nameOrPath: string): Promise<LoadedTemplate> {
    let file = this.#found.get(nameOrPath);
    if (file === undefined || !existsSync(path.resolve(this.root, file))) {
      ({ file } = await findFile(this.root, this.cwd, "templates", "template", nameOrPath));
      this.#found.set(nameOrPath, file);
    }
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

  async plan(nameOrPath: string): Promise<Plan> {
    const { plan, complaints } = await this.#readPlan(nameOrPath);
    if (!plan) throw new YoroshiError("filesInvalid", { complaints });
    return plan;
  }

  async isPlan(nameOrPath: string): Promise<boolean> {
    if (/\.ya?ml$/.test(nameOrPath)) {
      const { file } = await findFile(this.root, this.cwd, "plans", "plan", nameOrPath);
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

  async check(what: "template" | "plan", nameOrPath: string): Promise<readonly Complaint[]> {
    return what === "template" ? this.#checkTemplate(nameOrPath) : this.#checkPlan(nameOrPath);
  }

  async warnings(what: "template" | "plan", nameOrPath: string): Promise<readonly Warning[]> {
    return what === "template" ? this.#templateWarnings(nameOrPath) : this.#planWarnings(nameOrPath);
  }

  async #planWarnings(nameOrPath: string): Promise<readonly Warning[]> {
    const { plan, document } = await this.#readPlan(nameOrPath);
    if (!plan || !document || (await this.#hasFilled(plan))) return [];
    try {
      return warnPlan(plan, document, { name: sourceName(plan.table), columns: await (await this.table(plan)).columns() });
    } catch (error) {
      if (error instanceof YoroshiError) return []; // a mistake, told as one
      throw error;
    }
  }

  async #hasFilled({ name }: Plan): Promise<boolean> {
    // Looking makes no ledger.
    return existsSync(path.join(this.root, ".yoroshi", "ledger.sqlite")) && (await this.ledger().runs.find("fill", name, 1)).length > 0;
  }

  async #templateWarnings(nameOrPath: string): Promise<readonly Warning[]> {
    const { file } = await findFile(this.root, this.cwd, "templates", "template", nameOrPath);
    const { template, document } = readTemplate(await readText(path.resolve(this.root, file), file), file);
    if (!template || !document) return [];
    const prepared = await this.prepare(template).catch((error: unknown) => {
      if (error instanceof YoroshiError) return undefined; // a mistake, told as one
      throw error;
    });
    const name = template.model?.use ?? Object.keys(this.settings.models)[0];
    const entry = name === undefined ? undefined : this.settings.models[name];
    if (!prepared || !entry) return warnTemplate(template, document);
    // The tokenizer takes a second to load, and is needed only where there is a room to measure.
    const count = entry.context === undefined ? () => 0 : (await import("gpt-tokenizer/encoding/o200k_base")).countTokens;
    return [
      ...warnTemplate(template, document),
      ...warnModel(prepared, document, { name: name!, can: entry.can, context: entry.context }, (text) => count(text)),
    ];
  }

  text(file: string): Promise<string> {
    return readText(insideProject(this.root, file, this.settings.folders), file);
  }

  async prepare(template: Template): Promise<Prepared> {
    const run = runValues(this.clock.now(), this.settings.timeZone);
    const make = async (): Promise<Prepared> => {
      const surroundings = await readSurroundings(this.root, this.settings.folders, this.tables, template);
      return prepare(template, await readReferences(this.tables, template), { ...surroundings, run });
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
    const reading = readInputs(prepared, inputCellsOf(prepared, inputs));
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
    return this.ledger().versions.of(template.name, { hash: versionText(template), text, at: this.clock.now() });
  }

  async table(plan: Plan, inPlace = false): Promise<Table> {
    return (await this.#tableOf(plan, inPlace, [])).table;
  }

  /** A plan's table; where its rows are made of another plan's, the step that makes their columns is in the plan. */
  async #tableOf(plan: Plan, inPlace: boolean, within: readonly string[]): Promise<{ table: Table; plan: Plan }> {
    const { items, groups } = plan.table;
    const of = (items ?? groups)?.of;
    if (of === undefined) return { table: await this.tables.table(plan.table, { inPlace }), plan };
    const path = [...within, plan.name];
    if (path.includes(of))
      throw new YoroshiError("tableBroken", {
        table: plan.name,
        place: "table",
        problem: `its rows would be made of themselves: ${[...path, of].join(" of ")}.`,
      });
    const { setup: parent } = await this.#setupOf(of, { within: path, reads: groups && figuresReadAs(groups) });
    const made = items
      ? itemRows(parent, items, { plan: plan.name, key: keyColumnsOf(plan.table.key)[0]! })
      : await groupRows(parent, groups!);
    return {
      table: derivedTable(made, await this.tables.table(plan.table, { grows: true }), { onNotice: this.onNotice }),
      plan: withOwnStep(plan, made),
    };
  }

  fillSetup(
    nameOrPath: string,
    { inPlace = false, asks = true }: { readonly inPlace?: boolean; readonly asks?: boolean } = {},
  ): Promise<{ setup: FillSetup; isStandin: boolean }> {
    return this.#setupOf(nameOrPath, { inPlace, asks });
  }

  async #setupOf(
    nameOrPath: string,
    { inPlace = false, asks = false, within = [], reads = {} }: SetupOptions = {},
  ): Promise<{ setup: FillSetup; isStandin: boolean }> {
    const { plan: written, document, complaints } = await this.#readPlan(nameOrPath);
    if (!written || !document) throw new YoroshiError("filesInvalid", { complaints });
    const loaded: Record<string, LoadedTemplate> = {};
    for (const { name, step } of templateSteps(written)) loaded[name] = await this.template(step.template);
    const { table: opened, plan } = await this.#tableOf(written, inPlace, within);
    const templates = mapped(loaded, ({ template }) => template);
    const wanted = wantedOnce([...Object.entries(readAs(plan, templates)), ...Object.entries(reads)]);
    const table = plainTable(opened, plan.table, wanted, this.onNotice);
    const found = await checkAgainst(written, templates, document, sourceName(plan.table), table);
    if (found.length > 0) throw new YoroshiError("filesInvalid", { complaints: found });
    const asking: Record<string, Asking> = {};
    let isStandin = false;
    for (const [name, one] of Object.entries(loaded)) {
      const model = await this.openModels(one.template, { asks });
      isStandin ||= model.isStandin;
      asking[name] = {
        prepared: await this.prepare(one.template),
        version: (await this.version(one)).version,
        model: model.model,
        others: model.others,
      };
    }
    const related = await relatedOf(this.tables, plan);
    this.#open.push(...Object.values(related));
    return {
      setup: {
        plan,
        table,
        related,
        asking,
        ledger: this.ledger(),
        clock: this.clock,
        sha256,
        monthlyCap: this.monthlyCap,
        isChecked: true,
      },
      isStandin,
    };
  }

  async samples(prepared: Prepared, file: string | undefined, options: SampleOptions = {}): Promise<Samples> {
    const source = file === undefined ? { file: this.samplesFile(prepared.template.name, file) } : this.tables.named(file);
    const chosen = sourceName(source);
    if (file === undefined && !existsSync(path.resolve(this.root, chosen))) {
      throw new YoroshiError("badOption", {
        option: "--samples",
        problem: `there is no ${chosen}. Name a CSV or JSON Lines file, a workbook, or a table of a database (\`main:labelled\`), with columns for the inputs and for the right values, or draw one: \`yoroshi samples draw PLAN\`.`,
      });
    }
    const { columns, rows: found } = await this.tables.small(source);
    // Samples that were drawn into a CSV file are kept from being run there.
    const rows = await plainSamples(
      prepared,
      source,
      columns,
      found.map(({ place, values }) => ({
        place,
        values: Object.fromEntries(Object.entries(values).map(([column, text]) => [column, refanged(text)])),
      })),
      options,
      this.onNotice,
    );
    const known = new Set(
      [
        ...prepared.inputs.map(({ name }) => name),
        ...partPaths(prepared.template.answer),
        SET_COLUMN,
        MARK_COLUMN,
        ...Object.values(options.map ?? {}),
      ].map((name) => name.toLowerCase()),
    );
    const free = columns.filter((column) => !known.has(column.toLowerCase()) && !column.includes("@"));
    const unique = free.find((column) => new Set(rows.map((row) => row.values[column])).size === rows.length);
    return readSamples(prepared, chosen, columns, rows, {
      keyColumn: unique ?? free.find((column) => /(^|[^a-z])(id|key|no|nr|number)$|Id$|Key$/i.test(column)),
      ...options,
    });
  }

  samplesFile(template: string, file: string | undefined): string {
    return file === undefined ? path.join("samples", `${template}.csv`) : path.relative(this.root, path.resolve(this.cwd, file));
  }

  [Symbol.asyncDispose](): Promise<void> {
    return this.close();
  }

  close(): Promise<void> {
    return (this.#closing ??= this.#close());
  }

  async #close(): Promise<void> {
    await this.asking.close();
    this.#isClosed = true;
    await this.models.close();
    await this.#databases.close();
    for (const related of this.#open) await related.close();
    await this.#ledger?.close();
  }

  async #readPlan(nameOrPath: string): Promise<ReturnType<typeof readPlan>> {
    const { file } = await findFile(this.root, this.cwd, "plans", "plan", nameOrPath);
    const read = readPlan(await readText(path.resolve(this.root, file), file), file);
    return read.plan ? read : { ...read, complaints: await withKeyCandidates(this.tables, read.document, read.complaints) };
  }

  async #checkTemplate(nameOrPath: string): Promise<readonly Complaint[]> {
    const { file } = await findFile(this.root, this.cwd, "templates", "template", nameOrPath);
    const text = await readText(path.resolve(this.root, file), file);
    readTemplate(text, file);
    // A pattern that was met is now held against what will match it.
    await patternsReady();
    const { template, document, complaints } = readTemplate(text, file);
    if (!template) return complaints;
    const found: Complaint[] = [];
    const names = Object.keys(this.settings.models);
    const uses = [
      ["model", "use", template.model?.use],
      ["secondLook", "use", template.secondLook?.use],
      ["doubt", "ask", template.doubt?.ask],
    ] as const;
    for (const [key, name, use] of uses) {
      if (use !== undefined && names.length > 0 && !names.includes(use))
        found.push(complain("unknownModel", document!.at([key, name]), { name: use, known: names, near: nearest(use, names) }));
    }
    try {
      found.push(...checkPassages(template, await readPassages(this.root, this.settings.folders, template), file));
      if (found.length > 0) return found;
      await this.prepare(template);
    } catch (error) {
      if (!(error instanceof YoroshiError)) throw error;
      found.push(complain("referenceUnreadable", { file, line: 1, column: 1 }, { problem: error.message }));
    }
    return found;
  }

  async #checkPlan(nameOrPath: string): Promise<readonly Complaint[]> {
    await this.#readPlan(nameOrPath);
    await patternsReady();
    const { plan, document, complaints } = await this.#readPlan(nameOrPath);
    if (!plan || !document) return complaints;
    const known = (await this.listTemplates()).map((template) => template.name);
    const templates: Record<string, Template> = {};
    const missing: Complaint[] = [];
    for (const { name, step } of templateSteps(plan)) {
      const loaded = await this.template(step.template).catch((error: unknown) => {
        if (error instanceof YoroshiError) return undefined; // the template's own complaints are told with it
        throw error;
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
    if (missing.length > 0) return missing;
    try {
      return await checkAgainst(plan, templates, document, sourceName(plan.table), await this.table(plan));
    } catch (error) {
      if (!(error instanceof YoroshiError)) throw error;
      return [...checkPlan(plan, templates, document), complain("referenceUnreadable", document.at(["table"]), { problem: error.message })];
    }
  }
}

function mapped<T, U>(record: Readonly<Record<string, T>>, change: (value: T) => U): Record<string, U> {
  return Object.fromEntries(Object.entries(record).map(([name, value]) => [name, change(value)]));
}

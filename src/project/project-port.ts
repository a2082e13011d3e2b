import type {
  Answer,
  CellRecord,
  Clock,
  Complaint,
  FillSetup,
  Json,
  Ledger,
  LedgerCarrier,
  Micros,
  Plan,
  Prepared,
  SampleOptions,
  Samples,
  Sha256,
  Table,
  Template,
  TemplateStep,
  VersionRecord,
  Warning,
  WorkQueue,
} from "../core/index.js";
import type { Database } from "../adapters/sql/index.js";
import type { RunLog } from "../adapters/run-log/index.js";
import type { AskedOptions, ProjectAsking } from "./asking.js";
import type { NamedFile } from "./files.js";
import type { LoadedTemplate, TemplateModels } from "./loaded.js";
import type { Models } from "./models.js";
import type { ProjectFile } from "./project-file.js";
import type { Tables } from "./tables.js";

/**
 * The types of a project's templates, by name; `yoroshi types` writes them into a file that extends this interface.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface ProjectTemplates {}

/** A name or path whose types are not known; a known name must take the inputs that it has. */
type Untyped<Name extends string> = Name & (Name extends keyof ProjectTemplates ? never : unknown);

type Typed<Name extends keyof ProjectTemplates> = ProjectTemplates[Name] extends { inputs: infer Inputs; parts: infer Parts }
  ? { inputs: Inputs; parts: Parts }
  : never;

/** A user's project: its files, its ledger, its models. */
export interface Project {
  readonly root: string;
  /** Whether it has a yoroshi.yaml; one that is only being begun has none. */
  readonly isBegun: boolean;
  readonly settings: ProjectFile;
  readonly clock: Clock;
  readonly models: Models;
  /** Opens what files and commands name as tables. */
  readonly tables: Tables;
  /** Most that all runs may spend in a calendar month (UTC), in millionths. */
  readonly monthlyCap: Micros | undefined;
  /** Told what a person should know though nothing is wrong. */
  readonly onNotice: (text: string) => void;
  /** The platform's own SHA-256. */
  readonly sha256: Sha256;
  /** Asks single questions. */
  readonly asking: ProjectAsking;
  /** The record of all answers, cells and runs; opened when first asked for. */
  ledger(): Ledger;
  /** The queue of spread fills, beside a ledger that is in a database. Whoever asks for one closes it. */
  queue(): WorkQueue;
  /** A ledger in a place that yoroshi.yaml may name, to be carried to another. */
  ledgerCarrier(ledger: ProjectFile["ledger"]): LedgerCarrier;
  /** The templates in `templates/`, by name. */
  listTemplates(): Promise<NamedFile[]>;
  /** The plans in `plans/`, by name. */
  listPlans(): Promise<NamedFile[]>;
  /** A template by its name, with the types that `yoroshi types` wrote. */
  template<Name extends keyof ProjectTemplates>(name: Name): Promise<LoadedTemplate<Typed<Name>["inputs"], Typed<Name>["parts"]>>;
  /** A template by its name or path. @throws YoroshiError `notFound`, `filesInvalid`. */
  template(nameOrPath: string): Promise<LoadedTemplate>;
  /** The template of a plan's step, as the version that the step keeps to. @throws YoroshiError `notFound`, `notApproved`. */
  stepTemplate(step: Pick<TemplateStep, "template" | "version" | "inquire">): Promise<LoadedTemplate>;
  /**
   * Asks a template of the project about one set of inputs, through its models and ledger: a known answer is not asked
   * again, unless `fresh`; the same question at the same time is one request.
   *
   * @throws YoroshiError `notFound`, `filesInvalid`, `projectClosed`; ModelFailure when the model cannot be used at all; BudgetSpent
   * when the month's cap leaves no room.
   */
  ask<Name extends keyof ProjectTemplates>(
    name: Name,
    inputs: Typed<Name>["inputs"],
    options?: AskedOptions,
  ): Promise<Answer<Typed<Name>["parts"]>>;
  /** The same for a name that is not known when the code is compiled. */
  ask<Name extends string>(nameOrPath: Untyped<Name>, inputs: Readonly<Record<string, Json>>, options?: AskedOptions): Promise<Answer>;
  /** The same for a template that is loaded, prepared and has its models; tells whether the answer was known. */
  askLoaded(
    loaded: LoadedTemplate,
    prepared: Prepared,
    models: TemplateModels,
    inputs: Readonly<Record<string, Json>>,
    options?: AskedOptions,
  ): Promise<{ readonly answer: Answer; readonly known: boolean }>;
  /** A plan by its name or path. @throws YoroshiError `notFound`, `filesInvalid`. */
  plan(nameOrPath: string): Promise<Plan>;
  /** Whether a name or path is that of a plan. */
  isPlan(nameOrPath: string): Promise<boolean>;
  /** The plans whose rows are made of a plan's, and those made of these, each after what it is made of. */
  derivedFrom(nameOrPath: string): Promise<readonly string[]>;
  /** Complaints about one file, and about what it names. @param text what the file would say, instead of what it says. */
  check(what: "template" | "plan", nameOrPath: string, text?: string): Promise<readonly Complaint[]>;
  /** What works in a template or a plan and is yet likely to give worse answers; none while it has mistakes. */
  warnings(what: "template" | "plan", nameOrPath: string, text?: string): Promise<readonly Warning[]>;
  /** The tables of a database that may be seen, views included. @throws YoroshiError `notFound`, `secretMissing`, `databaseUnusable`. */
  databaseTables(database: string): Promise<readonly string[]>;
  /** A database by its name in yoroshi.yaml. @throws YoroshiError `notFound`, `secretMissing`, `databaseUnusable`. */
  database(name: string): Promise<Database>;
  /** The path of a file that a plan names. @throws YoroshiError `outsideProject`. */
  place(file: string): string;
  /** A text file of the project. */
  text(file: string): Promise<string>;
  /** A template with its references and background read. */
  prepare(template: Template): Promise<Prepared>;
  /** The models that a template asks. @param options.asks they are going to be asked, so that a missing key is told now. Default true. */
  openModels(template: Template, options?: { readonly asks?: boolean }): Promise<TemplateModels>;
  /** A log of a run of a plan, `.yoroshi/runs/<day>-<plan>.jsonl`, which also feeds telemetry where an exporter is registered. */
  runLog(plan: string): Promise<RunLog>;
  /** The version of a template's content; the ledger gives it a number. */
  version(loaded: LoadedTemplate): Promise<VersionRecord>;
  /** The table of a plan. */
  table(plan: Plan, inPlace?: boolean): Promise<Table>;
  /**
   * A plan with all that it names, ready to fill; complains about columns that its table lacks.
   *
   * @param options.asks its models are going to be asked, so that a missing key is told now. Default true.
   */
  fillSetup(
    nameOrPath: string,
    options?: { readonly inPlace?: boolean; readonly asks?: boolean },
  ): Promise<{ readonly setup: FillSetup; readonly isStandin: boolean }>;
  /** A samples file; by habit the one named after the template. */
  samples(prepared: Prepared, file: string | undefined, options?: SampleOptions): Promise<Samples>;
  /** The path of a samples file, relative to the project; by habit the one named after the template. */
  samplesFile(template: string, file: string | undefined): string;
  /** Calls a function whenever cells were recorded in this process, by whatever run; returns the way to stop. */
  onRecorded(listener: (cells: readonly CellRecord[]) => void): () => void;
  /** Waits for what is in flight, records what was paid, and closes what was opened; what comes later is refused with `projectClosed`. */
  close(): Promise<void>;
  /** The same as `close`, for `await using`. */
  [Symbol.asyncDispose](): Promise<void>;
}

/** Where a project is, and what it is given from outside. */
export interface ProjectOptions {
  /** Where to look from. Default: the working directory. */
  readonly cwd?: string | undefined;
  readonly clock?: Clock | undefined;
  /** Only files inside the project, and in the folders that it names, are read and written, whoever names them. Default false. */
  readonly confined?: boolean | undefined;
  /** Where there is no project, begin with one in `cwd` that has nothing yet; its file is written by whoever begins it. Default false. */
  readonly orNew?: boolean | undefined;
  /** Told what a person should know though nothing is wrong. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

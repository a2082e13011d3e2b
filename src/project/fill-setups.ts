import {
  derivedTable,
  figuresReadAs,
  groupRows,
  isReadOnly,
  itemRows,
  keyColumnsOf,
  mapValues,
  readAs,
  sourceName,
  templateSteps,
  wantedOnce,
  withOwnStep,
  YoroshiError,
  type Asking,
  type FillSetup,
  type Plan,
  type Table,
  type Wanted,
} from "../core/index.js";
import type { AskedWorkings } from "./asked-table.js";
import { checkAgainst } from "./check-table.js";
import { readPlanFile, type Checked } from "./checks.js";
import type { LoadedTemplate } from "./loaded.js";
import type { Project } from "./project-port.js";
import type { RelatedTables } from "./related-tables.js";
import type { ProjectSources } from "./sources.js";
import { plainTable } from "./written-there.js";

interface SetupOptions {
  readonly inPlace?: boolean | undefined;
  readonly asks?: boolean | undefined;
  /** The plans whose rows are made of this one's. */
  readonly within?: readonly string[] | undefined;
  /** Columns that those read as numbers or days. */
  readonly reads?: Readonly<Record<string, Wanted>> | undefined;
}

/** How a fill of a plan is set up: its rows, wherever they come from, and whom its steps ask. */
export class FillSetups {
  constructor(
    readonly project: Project & Checked,
    readonly sources: ProjectSources,
    readonly related: RelatedTables,
    readonly asked: AskedWorkings,
  ) {}

  /** A plan's table; where its rows are made of another plan's, the step that makes their columns is in the plan. */
  async tableOf(plan: Plan, inPlace: boolean, within: readonly string[]): Promise<{ table: Table; plan: Plan }> {
    const { items, groups, folder } = plan.table;
    if (folder) {
      const { folderRows } = await import("../adapters/folder/index.js");
      const place = this.project.place(folder.path);
      const made = folderRows({
        root: this.project.root,
        folder: folder.path,
        files: folder.files,
        place,
        readMail: (file) => this.sources.takeMail(file),
      });
      const kept = await this.project.tables.table(plan.table, { grows: true });
      return { table: derivedTable(made, kept, { onNotice: this.project.onNotice }), plan: withOwnStep(plan, made) };
    }
    if (!items && !groups && "file" in plan.table && isReadOnly(plan.table.file)) {
      const { parquetTable } = await import("../adapters/parquet/index.js");
      const made = await parquetTable(this.project.place(plan.table.file), plan.table.file, keyColumnsOf(plan.table.key));
      const beside = { ...plan.table, file: plan.table.file.replace(/\.parquet$/i, ".filled.csv") };
      const kept = await this.project.tables.table(beside, { grows: true });
      return { table: derivedTable(made, kept, { onNotice: this.project.onNotice }), plan: withOwnStep(plan, made) };
    }
    const source = (items ?? groups)?.of;
    if (source === undefined) return { table: await this.project.tables.table(plan.table, { inPlace }), plan };
    const path = [...within, plan.name];
    if (path.includes(source))
      throw new YoroshiError("tableBroken", {
        table: plan.name,
        place: "table",
        problem: `its rows would be made of themselves: ${[...path, source].join(" of ")}.`,
      });
    const { setup: parent } = await this.of(source, { within: path, reads: groups && figuresReadAs(groups) });
    const made = items
      ? itemRows(parent, items, { plan: plan.name, key: keyColumnsOf(plan.table.key)[0]! })
      : await groupRows(parent, groups!);
    return {
      table: derivedTable(made, await this.project.tables.table(plan.table, { grows: true }), { onNotice: this.project.onNotice }),
      plan: withOwnStep(plan, made),
    };
  }

  async of(
    nameOrPath: string,
    { inPlace = false, asks = false, within = [], reads = {} }: SetupOptions = {},
  ): Promise<{ setup: FillSetup; isStandin: boolean }> {
    const { plan: written, document, complaints } = await readPlanFile(this.project, nameOrPath);
    if (!written || !document) throw new YoroshiError("filesInvalid", { complaints });
    const loaded: Record<string, LoadedTemplate> = {};
    for (const { name, step } of templateSteps(written)) loaded[name] = await this.project.stepTemplate(step);
    const { table: opened, plan } = await this.tableOf(written, inPlace, within);
    const templates = mapValues(loaded, ({ template }) => template);
    const wanted = wantedOnce([...Object.entries(readAs(plan, templates)), ...Object.entries(reads)]);
    const table = plainTable(opened, plan.table, wanted, this.project.onNotice);
    const found = await checkAgainst(written, templates, document, sourceName(plan.table), table);
    if (found.length > 0) throw new YoroshiError("filesInvalid", { complaints: found });
    const asking: Record<string, Asking> = {};
    let isStandin = false;
    const path = [...within, plan.name];
    const setupOf = async (of: string): Promise<FillSetup> => {
      if (path.includes(of))
        throw new YoroshiError("tableBroken", {
          table: plan.name,
          place: "its steps",
          problem: `it would read what it is about to fill: ${[...path, of].join(" reads ")}.`,
        });
      return (await this.of(of, { within: path })).setup;
    };
    for (const { name, step } of templateSteps(written)) {
      const one = loaded[name]!;
      const model = await this.project.openModels(one.template, { asks });
      isStandin ||= model.isStandin;
      asking[name] = {
        prepared: await this.project.prepare(one.template),
        version: step.inquire ? 1 : (await this.project.version(one)).version,
        model: model.model,
        others: model.others,
        ...(step.inquire ? { working: await this.asked.on(step.inquire.of, setupOf) } : {}),
      };
    }
    const related = await this.related.of(plan);
    return {
      setup: {
        plan,
        table,
        related,
        asking,
        ledger: this.project.ledger(),
        clock: this.project.clock,
        sha256: this.project.sha256,
        monthlyCap: this.project.monthlyCap,
        isChecked: true,
      },
      isStandin,
    };
  }
}

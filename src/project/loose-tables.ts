import path from "node:path";
import { systemClock } from "../adapters/system-clock/index.js";
import type { TopRow } from "../core/index.js";
import { projectDatabases } from "./databases.js";
import { PROJECT_FORMAT, readProjectFile, type DatabaseEntry } from "./project-file.js";
import { projectTables, type Tables } from "./tables.js";
import { readEnvironment } from "./environment.js";

/** Tables before there is a project around them. */
export interface LooseTables {
  readonly tables: Tables;
  close(): Promise<void>;
}

/** @param databases what yoroshi.yaml would say of them. */
export function looseTables(
  cwd: string,
  databases: Readonly<Record<string, DatabaseEntry>>,
  onNotice: (text: string) => void,
): LooseTables {
  const { project } = readProjectFile(`yoroshi: ${PROJECT_FORMAT}\n`, "yoroshi.yaml");
  const settings = { ...project!, databases: { ...databases } };
  const opened = projectDatabases(cwd, settings, systemClock(), onNotice, readEnvironment(cwd));
  return {
    tables: projectTables({ root: cwd, cwd, folders: [], made: settings.csv, confined: false, onNotice }, opened),
    close: () => opened.close(),
  };
}

/** A sheet of a workbook as somebody sees it who looks for a table. */
export interface LooseSheet {
  readonly name: string;
  readonly visible: boolean;
  readonly tables: readonly { readonly name: string; readonly headerRow: number }[];
  readonly top: readonly TopRow[];
}

/** The sheets of a workbook. Throws `fileUnreadable`. */
export async function sheetsOf(cwd: string, file: string): Promise<readonly LooseSheet[]> {
  const at = path.resolve(cwd, file);
  return /\.ods$/i.test(file)
    ? (await import("../adapters/ods/index.js")).documentOverview(at, file)
    : (await import("../adapters/xlsx/index.js")).workbookOverview(at, file);
}

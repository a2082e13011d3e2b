import {
  approveVersion,
  compareVersion,
  listVersions,
  restoreTemplate,
  runJob,
  type VersionDifference,
  type VersionsReport,
} from "../../jobs/index.js";
import { bad, good, heading, out, outJson, quiet, table } from "../print/print.js";
import { whoIs } from "../who.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface VersionsOptions extends CommonOptions {
  readonly diff?: number | undefined;
  readonly restore?: number | undefined;
  readonly approve?: number | undefined;
  readonly as?: string | undefined;
}

/** `yoroshi versions`: a template's versions, when each was first seen, and what it changed. */
export async function versions(template: string, options: VersionsOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.restore !== undefined) {
      const report = await runJob(restoreTemplate, project, { template, version: options.restore });
      if (options.json) outJson(report);
      else out(`${good("written")}  ${report.file} is version ${options.restore} again; what it was before stays a version of its own.`);
      return 0;
    }
    if (options.approve !== undefined) {
      const report = await runJob(approveVersion, project, { template, version: options.approve, by: whoIs(options.as) });
      if (options.json) outJson(report);
      else
        out(
          `${good("approved")}  version ${report.version} of ${report.template}, by ${report.by}. Steps with \`version: approved\` keep to it.`,
        );
      return 0;
    }
    if (options.diff !== undefined) {
      const report = await runJob(compareVersion, project, { template, version: options.diff });
      if (options.json) outJson(report);
      else printDifference(report);
      return 0;
    }
    const report = await runJob(listVersions, project, { template });
    if (options.json) outJson(report);
    else printVersions(report);
    return 0;
  });
}

function printVersions({ template, versions: all }: VersionsReport): void {
  out(heading(`Versions of ${template}`));
  const lines = all.map(({ version, firstSeen, change, trials, current, approved }) => [
    version,
    `${firstSeen.slice(0, 16).replace("T", " ")} UTC`,
    change ? `${change.keys.join(", ") || "order only"} (+${change.added} −${change.removed} lines)` : "first version",
    trials,
    [current ? good("today's file") : "", approved ? `approved by ${approved.by}, ${approved.at.slice(0, 10)}` : ""]
      .filter(Boolean)
      .join(", "),
  ]);
  out(table(["version", "first seen", "changed", "trials", ""], lines, { right: [0, 3] }));
}

function printDifference({ parts }: VersionDifference): void {
  for (const { value, added, removed } of parts) {
    for (const line of value.replace(/\n$/, "").split("\n"))
      out(added ? good(`+ ${line}`) : removed ? bad(`- ${line}`) : quiet(`  ${line}`));
  }
}

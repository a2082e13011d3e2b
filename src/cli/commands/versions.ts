import { diffLines } from "diff";
import { YoroshiError, type VersionRecord } from "../../core/index.js";
import { restoreVersion } from "../../project/index.js";
import { bad, good, heading, out, outJson, quiet, table } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface VersionsOptions extends CommonOptions {
  readonly diff?: number | undefined;
  readonly restore?: number | undefined;
}

interface Change {
  readonly added: number;
  readonly removed: number;
  /** Top-level keys of the file whose lines changed. */
  readonly keys: readonly string[];
}

/** `yoroshi versions`: a template's versions, when each was first seen, and what it changed. */
export async function versions(name: string, options: VersionsOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.restore !== undefined) {
      const file = await restoreVersion(project, name, options.restore);
      if (options.json) outJson({ template: name, restored: options.restore, file });
      else out(`${good("written")}  ${file} is version ${options.restore} again; what it was before stays a version of its own.`);
      return 0;
    }
    const loaded = await project.template(name);
    const current = await project.version(loaded);
    const all = await project.ledger().versions.all(loaded.template.name);
    const trials = await project.ledger().runs.find("trial", loaded.template.name, 1_000);
    const lines = all.map((version, index) => ({
      version: version.version,
      current: version.version === current.version,
      firstSeen: new Date(version.at).toISOString(),
      change: index === 0 ? null : changeOf(all[index - 1]!, version),
      trials: trials.filter((run) => (run.tally as { version?: number } | undefined)?.version === version.version).length,
    }));
    if (options.diff !== undefined) return showDiff(all, options.diff, options);
    if (options.json) outJson({ template: loaded.template.name, versions: lines });
    else {
      out(heading(`Versions of ${loaded.template.name}`));
      out(
        table(
          ["version", "first seen", "changed", "trials", ""],
          lines.map((line) => [
            line.version,
            `${line.firstSeen.slice(0, 16).replace("T", " ")} UTC`,
            line.change
              ? `${line.change.keys.join(", ") || "order only"} (+${line.change.added} −${line.change.removed} lines)`
              : "first version",
            line.trials,
            line.current ? good("today's file") : "",
          ]),
          { right: [0, 3] },
        ),
      );
    }
    return 0;
  });
}

function showDiff(all: readonly VersionRecord[], wanted: number, options: VersionsOptions): number {
  const index = all.findIndex((version) => version.version === wanted);
  if (index < 0)
    throw new YoroshiError("notFound", { what: "version", name: String(wanted), known: all.map((version) => String(version.version)) });
  const parts = diffLines(all[index - 1]?.text ?? "", all[index]!.text);
  if (options.json)
    outJson({
      version: wanted,
      against: all[index - 1]?.version ?? null,
      parts: parts.map(({ value, added, removed }) => ({ value, added: added === true, removed: removed === true })),
    });
  else {
    for (const { value, added, removed } of parts) {
      for (const line of value.replace(/\n$/, "").split("\n"))
        out(added ? good(`+ ${line}`) : removed ? bad(`- ${line}`) : quiet(`  ${line}`));
    }
  }
  return 0;
}

function changeOf(before: VersionRecord, after: VersionRecord): Change {
  const keys = new Set<string>();
  let added = 0;
  let removed = 0;
  let oldLine = 0;
  let newLine = 0;
  const oldKeys = keyOfLines(before.text);
  const newKeys = keyOfLines(after.text);
  for (const part of diffLines(before.text, after.text)) {
    const count = part.count ?? 0;
    for (let i = 0; i < count; i++) {
      const key = part.removed ? oldKeys[oldLine + i] : part.added ? newKeys[newLine + i] : undefined;
      if (key) keys.add(key);
    }
    if (part.added) added += count;
    if (part.removed) removed += count;
    if (!part.added) oldLine += count;
    if (!part.removed) newLine += count;
  }
  return { added, removed, keys: [...keys] };
}

/** For each line of a template file, the top-level key that it belongs to. */
function keyOfLines(text: string): string[] {
  let key = "";
  return text.split("\n").map((line) => (key = /^([A-Za-z]\w*):/.exec(line)?.[1] ?? key));
}

import { writeFile } from "node:fs/promises";
import { diffLines } from "diff";
import * as z from "zod";
import { keepApproval, readApprovals, recordedTrials, type Approval, type VersionRecord } from "../core/index.js";
import { insideProject } from "../project/index.js";
import { findVersion } from "./find-version.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

const template = z.string();

const change = z.object({
  /** Lines. */
  added: count,
  removed: count,
  /** Top-level keys of the file whose lines changed. */
  keys: z.array(z.string()),
});

const versions = z.object({
  template,
  versions: z.array(
    z.object({
      version: z.int(),
      /** Whether the file stands as this version. */
      current: z.boolean(),
      firstSeen: z.iso.datetime(),
      /** Against the version before; null for the first. */
      change: change.nullable(),
      /** How many trials there were of it. */
      trials: count,
      /** Who approved it for work, where somebody did. */
      approved: z.object({ by: z.string(), at: z.iso.datetime() }).optional(),
    }),
  ),
});

const MOST_TRIALS = 1_000;

export type VersionsReport = z.output<typeof versions>;

/** A template's versions, when each was first seen, and what it changed. */
export const listVersions = defineJob({
  name: "listVersions",
  summary: "Lists the versions of a template, and what each changed.",
  input: z.strictObject({ template }),
  report: versions,
  async run(project, { template: name }) {
    const loaded = await project.template(name);
    const current = await project.version(loaded);
    const ledger = project.ledger();
    const all = await ledger.versions.all(loaded.template.name);
    const approvals = await readApprovals(ledger, loaded.template.name);
    const tried = (await recordedTrials(ledger, loaded.template.name, MOST_TRIALS)).map(({ report }) => report.version);
    return {
      template: loaded.template.name,
      versions: all.map((one, index) => ({
        version: one.version,
        current: one.version === current.version,
        firstSeen: new Date(one.at).toISOString(),
        change: index === 0 ? null : changeOf(all[index - 1]!, one),
        trials: tried.filter((version) => version === one.version).length,
        ...approvalOf(approvals, one.version),
      })),
    };
  },
});

function approvalOf(approvals: readonly Approval[], version: number): { approved?: { by: string; at: string } } {
  const found = approvals.findLast((one) => one.version === version);
  return found ? { approved: { by: found.by, at: new Date(found.at).toISOString() } } : {};
}

/** Says that a version is good for work: steps with `version: approved` keep to it while the file is worked on. */
export const approveVersion = defineJob({
  name: "approveVersion",
  summary: "Approves a version of a template for work: steps with `version: approved` keep to it.",
  input: z.strictObject({ template, version: z.int(), by: z.string().min(1) }),
  report: z.object({ template, version: z.int(), by: z.string() }),
  async run(project, { template: name, version, by }) {
    const loaded = await project.template(name);
    await findVersion(project, loaded, version);
    await keepApproval(project.ledger(), loaded.template.name, { version, by, at: project.clock.now() });
    return { template: loaded.template.name, version, by };
  },
});

const difference = z.object({
  version: z.int(),
  /** The version before it; null for the first. */
  against: z.int().nullable(),
  parts: z.array(z.object({ value: z.string(), added: z.boolean(), removed: z.boolean() })),
});

export type VersionDifference = z.output<typeof difference>;

/** What a version changed, line by line. */
export const compareVersion = defineJob({
  name: "compareVersion",
  summary: "Shows what a version of a template changed, line by line.",
  input: z.strictObject({ template, version: z.int() }),
  report: difference,
  async run(project, { template: name, version }) {
    const loaded = await project.template(name);
    const { found, before } = await findVersion(project, loaded, version);
    const parts = diffLines(before?.text ?? "", found.text);
    return {
      version,
      against: before?.version ?? null,
      parts: parts.map(({ value, added, removed }) => ({ value, added: added === true, removed: removed === true })),
    };
  },
});

/** Makes an earlier version the template again; what it was before stays a version of its own. */
export const restoreTemplate = defineJob({
  name: "restoreTemplate",
  summary: "Makes an earlier version of a template its file again.",
  input: z.strictObject({ template, version: z.int() }),
  report: z.object({ template, restored: z.int(), file: z.string() }),
  async run(project, { template: name, version }) {
    const loaded = await project.template(name);
    const { found } = await findVersion(project, loaded, version);
    await writeFile(insideProject(project.root, loaded.file), found.text);
    return { template: name, restored: version, file: loaded.file };
  },
});

function changeOf(before: VersionRecord, after: VersionRecord): z.output<typeof change> {
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

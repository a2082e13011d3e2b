import { YoroshiError, type VersionRecord } from "../core/index.js";
import type { LoadedTemplate, Project } from "../project/index.js";

/** A version of a template as the ledger keeps it, and the one before it. Today's file is a version of its own first. */
export async function findVersion(
  project: Project,
  loaded: LoadedTemplate,
  version: number,
): Promise<{ readonly found: VersionRecord; readonly before: VersionRecord | undefined }> {
  await project.version(loaded);
  const all = await project.ledger().versions.all(loaded.template.name);
  const index = all.findIndex((one) => one.version === version);
  if (index < 0)
    throw new YoroshiError("notFound", {
      what: `version of ${loaded.template.name}`,
      name: String(version),
      known: all.map((one) => String(one.version)),
    });
  return { found: all[index]!, before: all[index - 1] };
}

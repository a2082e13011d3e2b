import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";

/** The licences of the packages that are inside a bundle, by the files that went into it; each keeps its own beside it. */
export function noticesOf(modules, what) {
  const folders = new Set(modules.flatMap((file) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file) ?? []));
  const notices = [...folders].sort().map((folder) => {
    const { name, version, license } = JSON.parse(readFileSync(path.join(folder, "package.json"), "utf8"));
    const file = readdirSync(folder).find((one) => /^licen[cs]e/i.test(one));
    return `${name} ${version}, ${license}\n\n${file ? readFileSync(path.join(folder, file), "utf8").trim() : `Licence: ${license}.`}\n`;
  });
  if (notices.length < 10) throw new Error(`Only ${notices.length} packages were found in the bundle.`);
  return `${what} has these packages in its files.\n\n${notices.join(`\n${"-".repeat(80)}\n\n`)}`;
}

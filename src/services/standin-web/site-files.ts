import { existsSync, readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";

/** How a host behaves. */
export interface HostWays {
  readonly slowMs?: number | undefined;
  readonly movedTo?: string | undefined;
  readonly status?: number | undefined;
  readonly robots?: string | undefined;
}

/** The pages of a small web, by host and path. */
export interface SiteFiles {
  readonly hosts: readonly string[];
  ways(host: string): HostWays;
  page(host: string, pathname: string): string | undefined;
  /** Every page, with its address. */
  all(): { readonly address: string; readonly html: string }[];
}

/** The web that ships with the package: a folder for each host, HTML for each page, `sites.json` for what hosts do. */
export function siteFiles(folder = shipped()): SiteFiles {
  const { hosts: ways } = JSON.parse(readFileSync(path.join(folder, "sites.json"), "utf8")) as { hosts: Record<string, HostWays> };
  const hosts = readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => name);
  const fileOf = (host: string, pathname: string): string | undefined => {
    const name = pathname.replace(/\/$/, "/index").replace(/\.html$/, "");
    // A host is one of the folders, and a path stays in it.
    if (!hosts.includes(host) || name.includes("..")) return undefined;
    const file = path.join(folder, host, `${name}.html`);
    return existsSync(file) ? file : undefined;
  };
  return {
    hosts,
    ways: (host) => ways[host] ?? {},
    page: (host, pathname) => {
      const file = fileOf(host, pathname);
      return file === undefined ? undefined : readFileSync(file, "utf8");
    },
    all: () =>
      hosts.flatMap((host) =>
        readdirSync(path.join(folder, host))
          .filter((name) => name.endsWith(".html"))
          .map((name) => ({
            address: `http://${host}/${name === "index.html" ? "" : name.replace(/\.html$/, "")}`,
            html: readFileSync(path.join(folder, host, name), "utf8"),
          })),
      ),
  };
}

function shipped(): string {
  let folder = path.dirname(fileURLToPath(import.meta.url));
  while (!existsSync(path.join(folder, "package.json"))) folder = path.dirname(folder);
  return path.join(folder, "data", "web");
}

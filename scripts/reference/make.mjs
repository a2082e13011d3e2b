// Makes docs/api from the docs comments (typedoc) and from the schemas of the jobs. With `--check` it compares instead of writing: what
// the package publishes has changed without docs/api being made anew.
import { spawnSync } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import * as z from "zod";

const here = path.dirname(fileURLToPath(import.meta.url));
const target = path.join(here, "../../docs/api");
const ENTRIES = {
  index: "yoroshi",
  node: "yoroshi/node",
  statistics: "yoroshi/statistics",
  contracts: "yoroshi/contracts",
  standin: "yoroshi/standin",
  client: "yoroshi/client",
};

const made = { ...pagesOfTypes(), "jobs.md": await pageOfJobs() };
made["README.md"] = [
  "# API",
  "",
  "Made from the docs comments; `npm run reference` makes it anew. What of it is stable: [stability](../stability.md).",
  "",
  ...Object.entries(ENTRIES).map(([file, name]) => `- [\`${name}\`](${file}.md)`),
  "- [jobs](jobs.md), for `runJob` of `yoroshi/node`",
  "",
].join("\n");

if (process.argv.includes("--check")) {
  const other = Object.entries(made).filter(
    ([file, text]) => !existsSync(path.join(target, file)) || readFileSync(path.join(target, file), "utf8") !== text,
  );
  const stray = readdirSync(target).filter((file) => !(file in made));
  const wrong = [...other.map(([file]) => file), ...stray];
  if (wrong.length > 0) {
    console.error(
      `docs/api does not tell what the package publishes: ${wrong.join(", ")}. Run \`npm run reference\`, and read what has changed.`,
    );
    process.exit(1);
  }
} else {
  rmSync(target, { recursive: true, force: true });
  mkdirSync(target, { recursive: true });
  for (const [file, text] of Object.entries(made)) writeFileSync(path.join(target, file), text);
}
console.log(`reference: ${Object.keys(made).length} pages`);

/** A page for each entry of the package. */
function pagesOfTypes() {
  const out = mkdtempSync(path.join(tmpdir(), "yoroshi-reference-"));
  try {
    const typedoc = path.join(here, "node_modules/typedoc/bin/typedoc");
    const { status, stdout, stderr } = spawnSync(process.execPath, [typedoc, "--options", "typedoc.json", "--out", out], {
      cwd: here,
      encoding: "utf8",
    });
    if (status !== 0) {
      console.error(stdout + stderr);
      process.exit(1);
    }
    return Object.fromEntries(
      Object.entries(ENTRIES).map(([file, name]) => {
        const page = readFileSync(path.join(out, `${file}.md`), "utf8");
        return [`${file}.md`, page.replace(/^# .*$/m, `# \`${name}\``)];
      }),
    );
  } finally {
    rmSync(out, { recursive: true, force: true });
  }
}

/** What each job takes and gives, from its schemas. */
async function pageOfJobs() {
  const jobs = await import("../../dist/jobs/all.js");
  const parts = Object.entries(jobs)
    .sort(([a], [b]) => a.localeCompare(b))
    .map(([name, { summary, input, report }]) =>
      [
        `## ${name}`,
        "",
        summary,
        "",
        "Takes:",
        "",
        ...membersOf(input, "input"),
        "",
        "Gives:",
        "",
        ...membersOf(report, "output"),
        "",
      ].join("\n"),
    );
  const example =
    '```ts\nimport { jobs, openProject, runJob } from "yoroshi/node";\n\nconst project = await openProject({ cwd: "marrowby" });\nconst report = await runJob(jobs.surveyPlan, project, { plan: "triage" });\nawait project.close();\n```';
  return `# Jobs\n\nOne function for each thing that a user can ask for. The command line runs them, and so can you:\n\n${example}\n\nA job that needs no project takes \`undefined\` in its place. \`?\` marks what may be left out.\n\n${parts.join("\n")}`;
}

function membersOf(schema, io) {
  const json = z.toJSONSchema(schema, { io, unrepresentable: "any" });
  const shapes = json.anyOf ?? [json];
  const lines = shapes.flatMap((shape, index) => [
    ...(shapes.length > 1 ? [`${index === 0 ? "either" : "or"}:`, ""] : []),
    ...Object.entries(shape.properties ?? {}).map(
      ([name, one]) => `- \`${name}${shape.required?.includes(name) ? "" : "?"}\`: ${typeOf(one)}`,
    ),
    ...(index < shapes.length - 1 ? [""] : []),
  ]);
  return lines.length > 0 ? lines : ["nothing"];
}

function typeOf(schema) {
  if (schema.const !== undefined) return JSON.stringify(schema.const);
  if (schema.enum) return schema.enum.map((one) => JSON.stringify(one)).join(" \\| ");
  if (schema.anyOf) return schema.anyOf.map(typeOf).join(" \\| ");
  if (schema.type === "array") return schema.items && Object.keys(schema.items).length > 0 ? `list of ${typeOf(schema.items)}` : "list";
  if (schema.type === "object" && schema.properties) return `{ ${Object.keys(schema.properties).join(", ")} }`;
  if (schema.type === "object") return "by name";
  return [schema.type ?? "any JSON"].flat().join(" \\| ");
}

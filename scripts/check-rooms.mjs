// Checks who imports whom. First a tree with known mistakes, each of which must be found, so that a checker which
// reads nothing cannot pass; then the source itself, with a least number of files read.
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { cruise } from "dependency-cruiser";
import { ASKS, BRANCHES, forbidden, MAY_ASK, MAY_BRANCH } from "./room-rules.mjs";

const LEAST_FILES = 90;
const TEXT_RULES = [
  { name: "only-asking-asks", what: "asks a model past core/asking", may: MAY_ASK, found: ASKS },
  { name: "kinds-know-themselves", what: "branches on the name of a kind", may: MAY_BRANCH, found: BRANCHES },
];
/** A cast past the compiler has its reason beside it, in a comment of the lines above. */
const LINES_ABOVE = 10;
const options = (baseDir) => ({
  baseDir,
  ruleSet: { forbidden },
  validate: true,
  parser: "swc",
  tsPreCompilationDeps: true,
  doNotFollow: { path: "node_modules" },
  exclude: { path: "(^|/)dist/" },
});

const fixture = await cruise(["src"], options("scripts/rooms-fixture"));
const found = new Set(fixture.output.summary.violations.map((violation) => violation.rule.name));
const expected = [
  "core-kinds-imports-only-rooms-above",
  "no-cycles",
  "core-is-pure",
  "core-without-node",
  "front-doors",
  "adapters-know-no-sibling",
  "faces-import-jobs",
];
const unseen = expected.filter((rule) => !found.has(rule));
if (unseen.length > 0) fail(`The checker no longer sees mistakes of these rules: ${unseen.join(", ")}.`);

for (const rule of TEXT_RULES)
  if (breaking("scripts/rooms-fixture/src", rule).length !== 1) fail(`The checker no longer sees who breaks the rule ${rule.name}.`);

if (castsWithoutReason("scripts/rooms-fixture/src").length !== 1) fail("The checker no longer sees a cast without a reason.");
const casts = castsWithoutReason("src");
for (const cast of casts) console.error(`cast-without-reason: ${cast}`);
if (casts.length > 0) fail(`${casts.length} casts past the compiler say no reason.`);

const { summary, modules } = (await cruise(["src"], options("."))).output;
const files = modules.filter((module) => module.source.startsWith("src/")).length;
if (files < LEAST_FILES) fail(`Only ${files} files were read; there should be at least ${LEAST_FILES}.`);
const wrong = TEXT_RULES.flatMap((rule) => breaking("src", rule).map((file) => `${rule.name}: ${file} ${rule.what}`));
for (const line of wrong) console.error(line);
if (wrong.length > 0) fail(`${wrong.length} files do what is another room's.`);
for (const { rule, from, to } of summary.violations) console.error(`${rule.name}: ${from} -> ${to}`);
if (summary.violations.length > 0) fail(`${summary.violations.length} imports break the order of the rooms.`);
console.log(`rooms: ${files} files, ${summary.totalDependenciesCruised} imports, all in order`);

function sourceFiles(tree) {
  return readdirSync(tree, { recursive: true })
    .filter((file) => file.endsWith(".ts") && !/\.test(-d)?\.ts$/.test(file))
    .map((file) => file.split(path.sep).join("/"));
}

/** The files of a tree that hold what only some rooms may. */
function breaking(tree, { may, found }) {
  return sourceFiles(tree).filter((file) => !may.test(file) && found.test(readFileSync(path.join(tree, file), "utf8")));
}

function castsWithoutReason(tree) {
  return sourceFiles(tree).flatMap((file) => {
    const lines = readFileSync(path.join(tree, file), "utf8").split("\n");
    return lines.flatMap((line, index) => {
      const near = lines.slice(Math.max(0, index - LINES_ABOVE), index + 1);
      return line.includes(" as unknown as ") && !near.some((one) => one.includes("// ")) ? [`${file}:${index + 1}`] : [];
    });
  });
}

function fail(message) {
  console.error(message);
  process.exit(1);
}

// Checks who imports whom. First a tree with known mistakes, each of which must be found, so that a checker which
// reads nothing cannot pass; then the source itself, with a least number of files read.
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { cruise } from "dependency-cruiser";
import { ASKS, forbidden, MAY_ASK } from "./room-rules.mjs";

const LEAST_FILES = 90;
const options = (baseDir) => ({ baseDir, ruleSet: { forbidden }, validate: true, parser: "swc", tsPreCompilationDeps: true, doNotFollow: { path: "node_modules" }, exclude: { path: "(^|/)dist/" } });

const fixture = await cruise(["src"], options("scripts/rooms-fixture"));
const found = new Set(fixture.output.summary.violations.map((violation) => violation.rule.name));
const expected = ["core-kinds-imports-only-rooms-above", "no-cycles", "core-is-pure", "core-without-node", "front-doors", "adapters-know-no-sibling", "commands-use-the-project"];
const unseen = expected.filter((rule) => !found.has(rule));
if (unseen.length > 0) fail(`The checker no longer sees mistakes of these rules: ${unseen.join(", ")}.`);

if (askers("scripts/rooms-fixture/src").length !== 1) fail("The checker no longer sees who asks a bare model.");

const { summary, modules } = (await cruise(["src"], options("."))).output;
const files = modules.filter((module) => module.source.startsWith("src/")).length;
if (files < LEAST_FILES) fail(`Only ${files} files were read; there should be at least ${LEAST_FILES}.`);
const wrong = askers("src");
for (const file of wrong) console.error(`only-asking-asks: ${file} asks a model past core/asking`);
if (wrong.length > 0) fail(`${wrong.length} files ask a model past core/asking.`);
for (const { rule, from, to } of summary.violations) console.error(`${rule.name}: ${from} -> ${to}`);
if (summary.violations.length > 0) fail(`${summary.violations.length} imports break the order of the rooms.`);
console.log(`rooms: ${files} files, ${summary.totalDependenciesCruised} imports, all in order`);

/** The files of a tree that ask a model though their room may not. */
function askers(tree) {
  const files = readdirSync(tree, { recursive: true }).filter((file) => file.endsWith(".ts") && !/\.test(-d)?\.ts$/.test(file)).map((file) => file.split(path.sep).join("/"));
  return files.filter((file) => !MAY_ASK.test(file) && ASKS.test(readFileSync(path.join(tree, file), "utf8")));
}

function fail(message) {
  console.error(message);
  process.exit(1);
}

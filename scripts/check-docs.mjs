// Holds the documentation against the code: every command and option, every code of errors, warnings and remarks, every event of a job
// is told in docs, and no code is told that is none.
import { spawnSync } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { ERRORS, REMARKS, WARNING_CODES } from "../dist/core/index.js";

const read = (file) => readFileSync(file, "utf8");
const guide = [...readdirSync("docs/guide").map((file) => path.join("docs/guide", file)), "README.md"].map(read).join("\n");
const problems = [];

// Commands and their options, as the program itself tells them.
const help = (...command) => spawnSync(process.execPath, ["dist/bin/yoroshi.js", ...command, "--help"], { encoding: "utf8" }).stdout;
const commandsOf = (text) =>
  [...(text.split("\nCommands:")[1] ?? "").matchAll(/^ {2}([a-z]+) /gm)].map(([, name]) => name).filter((name) => name !== "help");
let options = 0;
for (const command of commandsOf(help())) {
  const own = help(command);
  const inner = commandsOf(own).map((name) => [command, name]);
  for (const words of inner.length > 0 ? inner : [[command]]) {
    const name = words.join(" ");
    if (!guide.includes(name)) problems.push(`the command \`${name}\` is told nowhere in docs/guide`);
    for (const [, option] of (inner.length > 0 ? help(...words) : own).matchAll(/^ {2}(?:-\w, )?(--[a-z-]+)/gm)) {
      options++;
      if (!["--help", "--json"].includes(option) && !new RegExp(`${option}(?![a-z-])`).test(guide))
        problems.push(`\`yoroshi ${name} ${option}\` is told nowhere in docs/guide`);
    }
  }
}

// Codes: a table for each kind, with all of them and no other.
const codesIn = (file) => [...read(file).matchAll(/^\| `(\w+)` \|/gm)].map(([, code]) => code);
for (const [file, codes] of [
  ["docs/errors.md", Object.keys(ERRORS)],
  ["docs/warnings.md", WARNING_CODES],
  ["docs/reasons.md", Object.keys(REMARKS)],
]) {
  const listed = codesIn(file);
  for (const code of codes) if (!listed.includes(code)) problems.push(`${file} does not tell of \`${code}\``);
  for (const code of listed) if (!codes.includes(code)) problems.push(`${file} tells of \`${code}\`, which is no such code`);
}

// Events of jobs.
const jobFiles = readdirSync("src/jobs", { recursive: true }).filter((file) => file.endsWith(".ts"));
const events = jobFiles.flatMap((file) =>
  [...read(path.join("src/jobs", file)).matchAll(/type: z\.literal\("(\w+)"\)/g)].map(([, type]) => type),
);
for (const type of new Set(events))
  if (!guide.includes(`\`${type}\``)) problems.push(`the event \`${type}\` of a job is told nowhere in docs/guide`);

if (options < 60 || events.length < 5)
  problems.push(`only ${options} options and ${events.length} events were found; the checker no longer reads them`);
for (const problem of problems) console.error(problem);
if (problems.length > 0) process.exit(1);
console.log(`docs: ${options} options, ${new Set(events).size} events and all codes are told`);

#!/usr/bin/env -S node --max-semi-space-size=6 --heap-growing-percent=30
import { Command, CommanderError, Option } from "commander";

// The flags in the first line keep short-lived objects from piling up before they are collected: over a quarter less memory for
// little CPU; 4 MB would take a sixth more, 8 MB another 8 MB of memory.
// Each command's code is loaded when it runs, so that `--help` starts at once.
const program = new Command("yoroshi")
  .description("Fill columns of a table with typed answers from a language model, and know how far they can be trusted.")
  .version("0.1.0")
  .option("--project <folder>", "work in this folder's project instead of the one around the current folder")
  .showHelpAfterError("(`--help` lists the commands and their options)")
  .exitOverride()
  .addHelpText(
    "after",
    "\nBegin with your own table: start. The order of work: new, check, try, samples, trial, fill, review, status. Learn with `yoroshi demo`.\nExit codes: 0 done; 1 done, but some cells failed; 2 the request or a file was wrong; 3 a model or a disk failed; 130 interrupted.",
  );

const json = (): Option => new Option("--json", "print one JSON object on standard output");
const whole = (value: string): number => {
  const number = Number(value);
  if (!Number.isInteger(number) || number < 0) throw new CommanderError(2, "yoroshi.badNumber", `\`${value}\` is not a whole number.`);
  return number;
};
const amount = (value: string): number => {
  const number = Number(value);
  if (!(number >= 0)) throw new CommanderError(2, "yoroshi.badNumber", `\`${value}\` is not a number.`);
  return number;
};
const collect = (value: string, before: string[] | undefined): string[] => [...(before ?? []), value];

program
  .command("start")
  .description("make a project around a table of your own, and see its first rows answered")
  .argument("[table]", "a CSV file, a workbook (.xlsx, .ods), or JSON Lines")
  .option("--database <variable>", "a database instead: the environment variable with its address")
  .option("--table <name>", "with --database: the table")
  .option("--sheet <name>", "of a workbook: the sheet")
  .option("--header-row <number>", "of a workbook: the row with the columns' names", whole)
  .option("--key <column>", "the column that names a row; several times where they do so together", collect)
  .addOption(new Option("--fill <what>", "what is to be filled").choices(["topic", "score", "summary", "answer", "facts", "words"]))
  .option("--from <column>", "the column that is read; may be given several times", collect)
  .option("--say <words>", "the topics, the question with its points, the facts, or your own words")
  .option("--column <name>", "the column that is filled; named after what it holds when not given")
  .option("--name <name>", "the plan's name; the table's when not given")
  .addOption(new Option("--dates <order>", "how days such as 01/06/2026 are written").choices(["dayFirst", "monthFirst"]))
  .addOption(new Option("--numbers <mark>", "what stands before decimals").choices(["comma", "point"]))
  .option("--yes", "take every default, ask nothing")
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/start.js")).start(file, { ...program.opts(), ...options })));
program
  .command("demo")
  .description("set up the demo project and run the main job on it, offline")
  .argument("[folder]", "where to put it", "marrowby")
  .addOption(json())
  .action(async (folder, options) => finish((await import("./commands/demo.js")).demo(folder, { ...options, ...program.opts() })));
program
  .command("new")
  .description("list templates to begin with, or write one into the project under a name of your own")
  .argument("[name]", "the new template's name")
  .option("--from <starter>", "the starter to begin with")
  .option("--copy <template>", "a template of this project to begin with")
  .option("--describe <text>", "have the model draft one from this description; it is shown, not written")
  .option("--table <file>", "the table whose columns the drafted template may read")
  .option("--write", "write the draft when it has no mistakes")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/new.js")).newTemplate(name, { ...options, ...program.opts() })));
program
  .command("check")
  .description("read templates and plans and tell every mistake with its place")
  .argument("[names...]", "templates and plans, by name or path; all of them when none is named")
  .addOption(json())
  .action(async (names, options) => finish((await import("./commands/check.js")).check(names, { ...options, ...program.opts() })));
program
  .command("show")
  .description("list templates and plans, or show one: its inputs, its answer, the exact prompt")
  .argument("[name]", "a template or a plan, by name or path")
  .option("--find <words>", "list the templates that have these words in name, title, tags or text")
  .option("--tag <tag>", "list the templates with this tag")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/show.js")).show(name, { ...options, ...program.opts() })));
program
  .command("try")
  .description("ask about one row: the exact prompt, the raw reply, the typed answer, its cost")
  .argument("<name>", "a template, or a plan to take a row of its table")
  .option("--row <key>", "the row of the plan's table; its first row when not given")
  .option("--step <name>", "the plan's step; its first one with a template when not given")
  .option("--input <name=value>", "an input's value; may be given several times", collect)
  .option("--fresh", "ask again even where the answer is known")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/try.js")).tryOne(name, { ...options, ...program.opts() })));
const samples = program.command("samples").description("draw, label and seal the rows by which templates are graded");
samples
  .command("draw")
  .description("draw rows of a plan's table into the template's samples file, to be labelled")
  .argument("<plan>", "a plan, by name or path")
  .option("--rows <number>", "how many; 80 when not given", whole)
  .option("--step <name>", "the plan's step; its first one with a template when not given")
  .option("--balance <column>", "as many of each value of a column, of the table or of what is filled")
  .option("--doubtful", "the rows whose answers are least sure")
  .option("--samples <file>", "the file to draw into; samples/<template>.csv when not given")
  .option("--seed <number>", "seed of the draw; 1 when not given", whole)
  .addOption(json())
  .action(async (plan, options) => finish((await import("./commands/samples.js")).draw(plan, { ...options, ...program.opts() })));
samples
  .command("label")
  .description("give right values row by row, blind to what a model answered; saved after each row")
  .argument("<file>", "a samples file")
  .option("--template <name>", "the template, where the file is not named after it")
  .option("--as <person>", "label beside others, in columns PART@PERSON")
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/samples.js")).label(file, { ...options, ...program.opts() })));
samples
  .command("settle")
  .description("bring two people's labels together: what they agree on is taken, the rest is asked in a third pass")
  .argument("<file>", "a samples file")
  .option("--template <name>", "the template, where the file is not named after it")
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/samples.js")).settle(file, { ...options, ...program.opts() })));
samples
  .command("seal")
  .description("keep a share of the samples for the last word: trials leave them alone until --sealed")
  .argument("<file>", "a samples file")
  .option("--share <percent>", "how much of the file; 30 when not given", amount)
  .option("--balance <column>", "the same share of each value of a column")
  .option("--seed <number>", "seed of the draw; 1 when not given", whole)
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/samples.js")).seal(file, { ...options, ...program.opts() })));
program
  .command("trial")
  .description("grade a template on samples whose right answers are known, and compare")
  .argument("[template]", "a template, by name or path; every trial so far is listed when none is named")
  .option("--samples <file>", "a CSV or JSON Lines file; samples/<template>.csv when not given")
  .option("--map <name=column>", "the column of an input or part; may be given several times", collect)
  .option("--judge <person>", "whose label counts where several people labelled")
  .option("--template-version <number>", "an earlier version instead of today's file", whole)
  .option(
    "--against <other>",
    "compare with a version's number, a template, model=NAME, temperature=T, rowsPerRequest=N or column=PART:COLUMN",
    collect,
  )
  .option("--asks <number>", "ask each row so often, to see how steady the answers are", whole)
  .option("--judge-by <part=template>", "have another template judge the texts of a part", collect)
  .option("--slice <column>", "figures for each value of a column, or month:, length:, script:COLUMN", collect)
  .option("--within <part=number>", "how far a number may be off and still count as near", collect)
  .option("--sealed", "grade the sealed samples; each look is counted")
  .option("--half-width <points>", "say how many more rows this precision needs; 5 when not given", amount)
  .option("--reach <percent>", "seek the confidence from which on so many answers are right; 90 when not given", amount)
  .option("--resamples <number>", "resamples of each bootstrap interval; 2000 when not given", whole)
  .option("--seed <number>", "seed of the bootstrap", whole)
  .option("--report <file>", "write the whole report as one HTML file")
  .option("--open", "write the report and open it in the browser")
  .option("--suggest", "have the model suggest better wording as a new version, and try that")
  .option("--spend <amount>", "most to spend", amount)
  .option("--all", "list every disagreement and slice")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/trial.js")).trialCommand(name, { ...options, ...program.opts() })));
program
  .command("fill")
  .description("fill the columns of a plan's table")
  .argument("<plan>", "a plan, by name or path")
  .option("--dry-run", "tell what would be asked and what it would cost; ask nothing")
  .option("--rows <number>", "ask about this many rows at most", whole)
  .option("--sample <number>", "only so many rows, drawn at random", whole)
  .option("--seed <number>", "seed of the sample; 1 when not given", whole)
  .option("--only <key>", "only the row with this key; may be given several times", collect)
  .option("--where <condition>", "only the rows for which this CEL over `row` holds, filled columns included")
  .option(
    "--column <name>",
    "with --only, --where or --sample: ask again for the step that fills this column alone; may be given several times",
    collect,
  )
  .addOption(new Option("--refill <which>", "which cells get a new value").choices(["blank", "stale", "failed", "all"]))
  .option("--overwrite <column>", "give up a person's edits in this column; may be given several times", collect)
  .addOption(
    new Option("--standing <what>", "what values are that the ledger knows nothing of: a person's, or to be written anew").choices([
      "keep",
      "renew",
    ]),
  )
  .option("--spend <amount>", "most to spend, instead of the plan's limit", amount)
  .option("--derived", "also the plans whose rows are made of this one's")
  .option("--from-start", "the plan's rules act on rows, too, that were filled before the rules were there")
  .option("--ignore-gate", "fill although no trial shows what the plan's gate wants")
  .option("--undo <run>", "put back what stood before a run: its id, or last; asks nothing")
  .option("--in-place", "write into the table's own file, after a backup")
  .option("--spread", "workers ask about the rows, on however many machines: `yoroshi work` there")
  .option("--workers <number>", "with --spread: so many workers on this machine, which end with the fill", whole)
  .option("--chunk <rows>", "with --spread: rows that are handed out at a time; 200 when not given", whole)
  .option("--no-probe", "do not ask a model that is new to the project for a word before the first row")
  .option("--create-columns", "add the columns that a database's table lacks; the statements are shown first")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/fill.js")).fillCommand(name, { ...options, ...program.opts() })));
program
  .command("work")
  .description("ask about rows that spread fills hand out, here or on another machine with the same project")
  .argument("[plans...]", "only these plans; all when none is named")
  .option("--at-once <number>", "most requests at once; what the plan says when not given", whole)
  .option("--until-done", "end once nothing is left to do")
  .addOption(json())
  .action(async (plans, options) => finish((await import("./commands/work.js")).work(plans, { ...options, ...program.opts() })));
program
  .command("status")
  .description("tell how every cell of a plan stands, and why cells are empty")
  .argument("<plan>", "a plan, by name or path")
  .option("--empty", "list every row with a cell without an up-to-date value")
  .option("--cell <key>", "explain one row's cells: prompt, reply, cost, version, edits")
  .option("--column <name>", "with --cell: only the step that fills this column")
  .option("--changes [run]", "what a fill altered: row, column, before, after, why; the newest that changed something when no run is named")
  .option("--let-stand", "accept cells that are out of date as they are, until what they rest on changes once more")
  .option("--where <condition>", "with --let-stand: only the rows for which this CEL over `row` holds")
  .option("--as <person>", "with --let-stand: who says so; the system's user when not given")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/status.js")).status(name, { ...options, ...program.opts() })));
program
  .command("review")
  .description("decide about values that are held, row by row; find how wrong a column is")
  .argument("<plan>", "a plan, by name or path")
  .option("--step <name>", "only what this step gave")
  .option("--rule <name>", "only what this rule holds")
  .option("--where <condition>", "only the rows for which this CEL over `row` holds, the values that wait included")
  .option("--check", "the random check: say what is right, blind, in rows drawn at random")
  .option("--rows <number>", "with --check: how many rows; the plan's spotCheck, or 40, when not given", whole)
  .option("--seed <number>", "with --check: draw anew, with this seed, once all of the last draw are judged", whole)
  .option("--figures", "how wrong the columns are, with exact bounds; who agrees with whom")
  .option("--names", "tell people's names in figures")
  .option("--out <file>", "write what waits into a workbook with drop-downs (.xlsx), or a .csv")
  .option("--in <file>", "take the decisions of such a file")
  .option("--samples [file]", "put what was decided into the samples, as right values")
  .option("--only <key>", "decide about this row by the options below, without asking")
  .option("--accept", "with --only: accept all its values that no --edit names")
  .option("--edit <column=value>", "with --only: another value; may be given several times", collect)
  .option("--reject [reason]", "with --only: leave them blank until the row changes")
  .option("--again <words>", "with --only: have the model asked again, and tell it this")
  .option("--undo <key>", "take back the newest decision about a row; or one, by its act")
  .option("--in-place", "write into the table's own file, after a backup")
  .option("--as <person>", "who decides; the system's user when not given")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/review.js")).review(name, { ...options, ...program.opts() })));
program
  .command("plan")
  .description("write a plan for a template and a table, add a step to one, or point one at the next file")
  .argument("<name>", "a plan's name")
  .option("--template <name>", "a new plan: the template that it asks")
  .option("--table <file>", "the table of a new plan; or the next file of one that stands")
  .option("--add <template>", "one more step: this template")
  .option("--step <name>", "with --add: the step's name; the template's when not given")
  .option("--map <name=column>", "the column of an input, or what a column is called now; may be given several times", collect)
  .option("--sheet <name>", "of a new plan's workbook: the sheet")
  .option("--header-row <number>", "of a new plan's workbook: the row with the columns' names", whole)
  .option("--key <column>", "of a new plan: the column that names a row; several times where they do so together", collect)
  .option("--carry", "with the next file: edits and decisions go over to the rows with the same keys")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/plan.js")).planCommand(name, { ...options, ...program.opts() })));
program
  .command("versions")
  .description("list a template's versions and what changed")
  .argument("<template>", "a template, by name or path")
  .option("--diff <number>", "show what this version changed, line by line", whole)
  .option("--restore <number>", "write this version back into the template's file", whole)
  .option("--approve <number>", "say that this version is good for work: steps with `version: approved` keep to it", whole)
  .option("--as <person>", "with --approve: who says so; the system's user when not given")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/versions.js")).versions(name, { ...options, ...program.opts() })));
program
  .command("pack")
  .description("put templates, with all that they read, into one file for another project")
  .argument("<file>", "the new file, a ZIP")
  .argument("[templates...]", "templates, by name; all of them when none is named")
  .addOption(json())
  .action(async (file, names, options) =>
    finish((await import("./commands/bundle.js")).pack(file, names, { ...options, ...program.opts() })),
  );
program
  .command("unpack")
  .description("bring the templates of such a file into this project; nothing of yours is overwritten")
  .argument("<file>", "a file made by pack")
  .option("--overwrite <path>", "let the bundle replace this file; may be given several times", collect)
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/bundle.js")).unpack(file, { ...options, ...program.opts() })));
const model = program.command("model").description("name a model of a host, and find out what it can do");
model
  .command("add")
  .description("write a model into yoroshi.yaml, with what its host was found to do by short requests; never a key")
  .argument("<name>", "what it is called in the project")
  .option("--endpoint <address>", "the host's address, up to and without /chat/completions")
  .option("--id <model>", "the model, as the host names it")
  .option("--key-env <variable>", "the environment variable with the key, which may stand in .env; YOROSHI_KEY when not given")
  .option("--key-file <file>", "a file whose first line is the key, instead")
  .option("--key-command <words>", "a command whose first line is the key, instead; no shell reads it")
  .option("--input-price <amount>", "price of a million tokens read", amount)
  .option("--output-price <amount>", "price of a million tokens written", amount)
  .option("--confirm", "with --key-command: this project may run it on this machine")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/model.js")).add(name, { ...options, ...program.opts() })));
model
  .command("check")
  .description("ask what the hosts of the project's models can do, and hold it against yoroshi.yaml")
  .argument("[name]", "a model; all of them when none is named")
  .option("--confirm", "the project may run the command that gives the key, on this machine")
  .addOption(json())
  .action(async (name, options) => finish((await import("./commands/model.js")).check(name, { ...options, ...program.opts() })));
const ledger = program.command("ledger").description("bring out what the ledger holds, or let it forget");
ledger
  .command("export")
  .description("write every answer with its cost and provenance into a file")
  .argument("<file>", "a new file: .jsonl with every detail, or .csv")
  .option("--cells", "every row's cells instead of every answer")
  .option("--decisions", "every decision of a person instead of every answer")
  .option("--rules", "what rules made of every row instead of every answer")
  .option("--messages", "every message of a rule instead of every answer")
  .option("--names", "with --cells, --decisions: the names of who decided, which are left out otherwise")
  .addOption(json())
  .action(async (file, options) => finish((await import("./commands/ledger.js")).exportAll(file, { ...options, ...program.opts() })));
ledger
  .command("prune")
  .description("forget old answers that no cell rests on; asked for again, they cost again")
  .option("--older-than <days>", "how old an answer must be", whole)
  .option("--of <name>", "only what this plan's fills or this template's trials recorded")
  .addOption(json())
  .action(async (options) => finish((await import("./commands/ledger.js")).prune({ ...options, ...program.opts() })));
ledger
  .command("move")
  .description("carry the ledger from its file into a PostgreSQL database of yoroshi.yaml, or back; every row is checked")
  .requiredOption("--to <where>", "a database of yoroshi.yaml, or file")
  .option("--schema <name>", "the schema in the database (default: yoroshi)")
  .addOption(json())
  .action(async (options) => finish((await import("./commands/ledger.js")).move({ ...options, ...program.opts() })));
program
  .command("types")
  .description("write TypeScript types of the project's templates")
  .option("--out <file>", "the file to write; yoroshi-templates.d.ts when not given")
  .option("--watch", "write again whenever a template or reference changes")
  .addOption(json())
  .action(async (options) => finish((await import("./commands/types.js")).types({ ...options, ...program.opts() })));
program
  .command("open")
  .description("open the desk, the pages on which the whole job is done; in a folder without a project it begins one")
  .option("--port <number>", "which port; 4747 when not given, or any that is free", whole)
  .option("--as <person>", "who works at it; the system's user when not given")
  .option("--demo", "open the demo project in the folder marrowby, which is made where it is not there")
  .option("--no-browser", "only print the link")
  .addOption(json())
  .action(async (options) => finish((await import("./commands/serve.js")).open({ ...options, ...program.opts() })));
program
  .command("ask")
  .description("ask a question about a table in plain words: a model turns it into figures and conditions, code computes them")
  .argument("<of>", "a plan, or a table: a file's path, or main:deck_log")
  .argument("<question>", "the question, in quotation marks")
  .option("--list", "the rows, and the filter that finds them")
  .option("--rows <number>", "how many rows are shown; 20 when not given", whole)
  .option("--fresh", "ask the model even where its reading is known")
  .option("--keep <name>", "keep it as a row of this plan, new or there already, which answers it again when the table has changed")
  .addOption(json())
  .action(async (of, question, options) =>
    finish((await import("./commands/ask.js")).ask(of, question, { ...options, ...program.opts() })),
  );
program
  .command("drift")
  .description("hold each day's answers of a plan against those of a reference time; tell what moved beyond chance")
  .argument("<plan>", "the plan")
  .option("--sealed", "ask the sealed samples of its templates again first; no look at the seal")
  .option("--seen", "what has moved until now has been looked at: a watched plan that holds goes on")
  .addOption(json())
  .action(async (plan, options) => finish((await import("./commands/drift.js")).drift(plan, { ...options, ...program.opts() })));
program
  .command("report")
  .description(
    "how things stand in a plan's table, as one HTML file: distributions, states, accuracy, cost, what has changed since the last report",
  )
  .argument("<plan>", "a plan, by name or path")
  .option("--to <file>", "the file; reports/<plan>.html in the project when not given")
  .option("--over <column>", "a column of days, by which figures are told over time")
  .option("--across <column>", "a column by which figures are told apart")
  .option("--open", "open the file")
  .addOption(json())
  .action(async (plan, options) => finish((await import("./commands/report.js")).report(plan, { ...options, ...program.opts() })));
program
  .command("watch")
  .description("keep plans filled as their tables change, or at the times that they name, until interrupted")
  .argument("[plans...]", "plans, by name or path; all that say `watch:` when none is named")
  .option("--triggers", "print the statements by which a plan's tables in PostgreSQL tell of their changes, for their owner to run")
  .addOption(json())
  .action(async (plans, options) => finish((await import("./commands/watch.js")).watch(plans, { ...options, ...program.opts() })));
const serve = program
  .command("serve")
  .description("serve the project over HTTP: pages, an API, chat assistants; on this machine alone unless told otherwise")
  .option("--port <number>", "which port; 4747 when not given, 0 for any that is free", whole)
  .option("--as <person>", "whose link is printed; the system's user when not given")
  .option("--host <name>", "the name under which others reach it; needs --tls-cert and --tls-key")
  .option("--tls-cert <file>", "with --host: the certificate")
  .option("--tls-key <file>", "with --host: its key")
  .option("--per-minute <number>", "requests that a session or a token may send in a minute; 6000 when not given", whole)
  .option("--mcp", "speak with one chat assistant over standard input and output instead (Model Context Protocol)")
  .addOption(json())
  .action(async (options) => finish((await import("./commands/serve.js")).serve({ ...options, ...program.opts() })));
serve
  .command("token")
  .description("make a token by which a program uses the server; it is shown once")
  .argument("[name]", "what it is for; tokens are listed when none is given")
  .option("--person <name>", "whose it is; the system's user when not given")
  .addOption(
    new Option("--right <right>", "what it may do, each with those before it").choices(["answer", "read", "work"]).default("answer"),
  )
  .option("--template <name>", "only this template")
  .option("--per-day <number>", "questions that it may have asked in a day; 500 when not given", whole)
  .option("--days <number>", "how long it works; 90 when not given", whole)
  .option("--end <id>", "end a token at once")
  .addOption(json())
  // `--json` is an option of `serve`, too, which would take it.
  .action(async (name, _options, command: Command) => finish((await import("./commands/serve.js")).token(name, command.optsWithGlobals())));
program
  .command("standin")
  .description("serve the offline stand-in model over HTTP on this machine")
  .option("--port <number>", "the port; any free one when not given", whole)
  .option("--latency <ms>", "how long a reply takes", whole)
  .option("--rate <number>", "requests allowed a minute", whole)
  .option("--fault <name=share>", "let a share of the requests go wrong; may be given several times", collect)
  .option("--seed <number>", "seed of the faults", whole)
  .option("--key <key>", "answer only requests with this key")
  .option("--list-faults", "list what can go wrong")
  .option("--web", "serve its small web of pages and an engine that searches it, instead of the model")
  .action(async (options) => finish((await import("./commands/standin.js")).standinCommand(options)));

// Whoever reads only the first lines (`| head`) closes the pipe; that is no failure.
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code === "EPIPE") process.exit(process.exitCode ?? 0);
  throw error;
});

async function finish(running: Promise<number>): Promise<void> {
  process.exitCode = await running;
}

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    // Commander has printed its own message; only ours are still to be told.
    if (error.code === "yoroshi.badNumber") process.stderr.write(`error: ${error.message}\n`);
    if (error.exitCode !== 0 && process.argv.includes("--json"))
      process.stdout.write(`${JSON.stringify({ error: { code: "badOption", message: error.message.replace(/^error: /, "") } })}\n`);
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else {
    const { reportError } = await import("./report-error.js");
    process.exitCode = reportError(error, process.argv.includes("--json"));
  }
}

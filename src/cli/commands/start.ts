import { readdirSync } from "node:fs";
import path from "node:path";
import { plural, YoroshiError } from "../../core/ground/index.js";
import {
  addStep,
  draftTemplate,
  findKeys,
  lookAtTable,
  numberRows,
  openProject,
  runJob,
  startProject,
  tryFirst,
  type JobReport,
  type Project,
  type StartWish,
  type TableLook,
  type TablePlace,
} from "../../jobs/index.js";
import { chooserAt, type Chooser } from "../chooser.js";
import { cut, good, heading, note, out, outJson, quiet, table, warn } from "../print/print.js";
import type { CommonOptions } from "../with-project.js";

interface StartOptions extends CommonOptions {
  readonly database?: string | undefined;
  readonly table?: string | undefined;
  readonly sheet?: string | undefined;
  readonly headerRow?: number | undefined;
  readonly key?: readonly string[] | undefined;
  readonly fill?: string | undefined;
  readonly from?: readonly string[] | undefined;
  readonly say?: string | undefined;
  readonly column?: string | undefined;
  readonly name?: string | undefined;
  readonly dates?: "dayFirst" | "monthFirst" | undefined;
  readonly numbers?: "comma" | "point" | undefined;
  readonly yes?: boolean | undefined;
}

/** `yoroshi start`: a project around one's own table, and its first rows answered. */
export async function start(file: string | undefined, options: StartOptions): Promise<number> {
  const chooser = chooserAt(options.yes === true || options.json === true);
  const given = await placeOf(file, options, chooser);
  const folder = path.resolve(options.project ?? ("file" in given ? path.dirname(path.resolve(given.file)) : "."));
  let place: TablePlace = "file" in given ? { ...given, file: path.relative(folder, path.resolve(given.file)) } : given;
  let look = await runJob(lookAtTable, undefined, { folder, place });
  const quietly = options.json === true;
  if ("file" in place && look.sheets.length > 1 && options.sheet === undefined) {
    const sheet = await chooser.one(
      "Which sheet?",
      look.sheets.map((value) => ({ value })),
      look.sheet,
    );
    place = { ...place, sheet };
    look = await runJob(lookAtTable, undefined, { folder, place });
  }
  if ("file" in place && look.otherHeaders.length > 0 && options.headerRow === undefined) {
    const rows = [
      {
        value: String(look.headerRow),
        about: look.columns
          .slice(0, 5)
          .map(({ name }) => name)
          .join(", "),
      },
      ...look.otherHeaders.map(({ row, names }) => ({ value: String(row), about: names.join(", ") })),
    ];
    const row = Number(await chooser.one("Which row has the columns' names?", rows, String(look.headerRow)));
    if (row !== look.headerRow) {
      place = { ...place, headerRow: row };
      look = await runJob(lookAtTable, undefined, { folder, place });
    }
  }
  place = settled(place, look);
  // All rows are gone through meanwhile.
  const counting = runJob(findKeys, undefined, { folder, place }).catch((error: unknown) => ({ error }));
  if (!quietly) printLook(look);
  const what = await whatOf(chooser, options);
  const from = await columnsOf(chooser, look, options);
  const detail = await detailOf(chooser, what, options);
  const written = await writingOf(chooser, look, from, options);
  const keyed = await keyOf(chooser, folder, place, look, await counting, options);
  if (keyed.place !== place) look = await runJob(lookAtTable, undefined, { folder, place: keyed.place });
  const wish = { folder, place: keyed.place, key: keyed.key, from, column: options.column, name: options.name, ...written };
  const made = await runJob(startProject, undefined, { ...wish, wanted: detail.wanted });
  const project = await openProject({ cwd: made.root, onNotice: note });
  try {
    const drafted = detail.words === undefined ? undefined : await draft(project, made, keyed.place, detail.words);
    const answers = await runJob(tryFirst, project, { plan: made.plan });
    if (options.json) outJson({ ...made, ...(drafted === undefined ? {} : { drafted }), answers: answers.rows });
    else printMade(made, answers, folder);
  } finally {
    await project.close();
  }
  return 0;
}

async function placeOf(file: string | undefined, options: StartOptions, chooser: Chooser): Promise<TablePlace> {
  const { database, table: name, sheet, headerRow } = options;
  if (database !== undefined) {
    if (name === undefined) throw new YoroshiError("badOption", { option: "--database", problem: "say which table, too: --table <name>." });
    return { database, table: name };
  }
  const here = options.project ?? ".";
  const tables = (): string[] =>
    readdirSync(here).filter((one) => /\.(csv|xlsx|xlsm|ods|jsonl|ndjson)$/i.test(one) && !/\.filled\./.test(one));
  const taken =
    file ??
    (await chooser.one(
      "Which table? (a CSV file, a workbook, or JSON Lines)",
      tables().map((value) => ({ value })),
      tables()[0],
      true,
    ));
  if (!taken) throw new YoroshiError("badOption", { option: "start", problem: "name the table: `yoroshi start tickets.xlsx`." });
  return {
    file: file === undefined ? path.join(here, taken) : taken,
    ...(sheet === undefined ? {} : { sheet }),
    ...(headerRow === undefined ? {} : { headerRow }),
  };
}

/** The place with what was found of it. */
const settled = (place: TablePlace, { sheet, headerRow }: TableLook): TablePlace =>
  "file" in place ? { ...place, ...(sheet === undefined ? {} : { sheet }), ...(headerRow === undefined ? {} : { headerRow }) } : place;

const KINDS = {
  topic: "sort into topics",
  score: "score",
  summary: "one sentence",
  answer: "yes or no",
  facts: "take facts out",
  words: "in my own words",
} as const;
type What = keyof typeof KINDS;

async function whatOf(chooser: Chooser, { fill, say }: StartOptions): Promise<What> {
  if (fill === undefined)
    return (await chooser.one(
      "What is to be filled?",
      Object.entries(KINDS).map(([value, about]) => ({ value, shown: about })),
      say === undefined ? "topic" : "words",
    )) as What;
  if (!(fill in KINDS))
    throw new YoroshiError("badOption", {
      option: "--fill",
      problem: `there is no \`${fill}\`. There are: ${Object.keys(KINDS).join(", ")}.`,
    });
  return fill as What;
}

/** The columns with the longest texts are the ones that are read. */
async function columnsOf(chooser: Chooser, { columns }: TableLook, { from }: StartOptions): Promise<string[]> {
  if (from && from.length > 0) return [...from];
  const filled = columns.filter(({ looksLike }) => looksLike !== "empty");
  const texts = filled.filter(({ looksLike }) => looksLike === "text").sort((a, b) => b.meanChars - a.meanChars);
  const first = texts[0] ?? [...filled].sort((a, b) => b.meanChars - a.meanChars)[0];
  if (!first) throw new YoroshiError("badOption", { option: "--from", problem: "no column has a value." });
  const shown = [first, ...filled.filter((one) => one !== first).sort((a, b) => b.meanChars - a.meanChars)].slice(0, 40);
  return chooser.several(
    "From which columns?",
    shown.map(({ name, examples }) => ({ value: name, about: cut(examples[0] ?? "", 50) })),
    [first.name],
  );
}

interface Detail {
  readonly wanted: StartWish;
  /** One's own words, which a model drafts a template from. */
  readonly words?: string | undefined;
}

const TOPICS =
  "problem: something is broken, wrong, missing, dangerous or late; question: somebody asks when, how or whether, and wants to know something; request: please, could I have, somebody wants something given or done; praise: thanks and praise, somebody is content and glad; other: none of these";
const POINTS = "nothing has to be done; it can wait; this week; today; at once, somebody is or may be harmed";

async function detailOf(chooser: Chooser, what: What, { say }: StartOptions): Promise<Detail> {
  const ask = async (question: string, fallback: string): Promise<string> => say ?? (await chooser.words(question, fallback));
  switch (what) {
    case "topic": {
      const topics = named(await ask("Which topics? (name: what it means; …)", TOPICS));
      if (topics.length < 2)
        throw new YoroshiError("badOption", {
          option: "--say",
          problem: "name at least two topics: `late: it came late; broken: it does not work`.",
        });
      return { wanted: { what, topics } };
    }
    case "score": {
      const said = await ask("What is scored? (question: lowest; …; highest)", `How urgent is it?: ${POINTS}`);
      const [question, points] = split(said);
      const given = (points ?? POINTS)
        .split(";")
        .map((point) => point.trim())
        .filter(Boolean);
      return { wanted: { what, question, points: given } };
    }
    case "summary":
      return { wanted: { what } };
    case "answer": {
      const said = await ask(
        "Which question? (question: when yes; when no)",
        "Does somebody have to act on it?: something has to be done or answered; nothing is left to do",
      );
      const [question, meanings] = split(said);
      const [yes, no] = (meanings ?? "").split(";").map((one) => one.trim());
      return { wanted: { what, question, ...(yes ? { yes } : {}), ...(no ? { no } : {}) } };
    }
    case "facts":
      return {
        wanted: {
          what,
          facts: named(
            await ask(
              "Which facts? (name: what it is; …)",
              "who: the person or company it is about; when: the day or time that it names; amount: the sum or number that it names",
            ),
          ),
        },
      };
    case "words": {
      const words = await ask("What is to be found out about each row?", "What is it about, and how urgent is it?");
      // The plan begins with a sentence and gets what the model drafts.
      return { wanted: { what: "summary" }, words };
    }
  }
}

/** `late: it came late; broken` -> names with meanings. */
const named = (said: string): { name: string; about?: string }[] =>
  said
    .split(said.includes(";") ? ";" : ",")
    .map((one) => split(one))
    .filter(([name]) => name !== "")
    .map(([name, about]) => (about ? { name, about } : { name }));

/** What stands before and behind the first colon. */
function split(said: string): [string, string | undefined] {
  const at = said.indexOf(":");
  return at < 0 ? [said.trim(), undefined] : [said.slice(0, at).trim(), said.slice(at + 1).trim() || undefined];
}

/** How numbers and days are written is asked only of columns that are read, where nothing in them tells it. */
async function writingOf(
  chooser: Chooser,
  { columns }: TableLook,
  from: readonly string[],
  { dates, numbers }: StartOptions,
): Promise<{ dates?: "dayFirst" | "monthFirst"; numbers?: "comma" | "point" }> {
  const unclear = columns.filter(({ name, written }) => from.includes(name) && written === "unclear");
  const day = unclear.find(({ looksLike }) => looksLike === "date");
  const number = unclear.find(({ looksLike }) => looksLike === "number");
  const found: { dates?: "dayFirst" | "monthFirst"; numbers?: "comma" | "point" } = {};
  if (dates) found.dates = dates;
  else if (day)
    found.dates = (await chooser.one(
      `\`${day.name}\` has ${day.examples[0]}: which comes first?`,
      [
        { value: "dayFirst", shown: "the day" },
        { value: "monthFirst", shown: "the month" },
      ],
      "dayFirst",
    )) as "dayFirst";
  if (numbers) found.numbers = numbers;
  else if (number)
    found.numbers = (await chooser.one(
      `\`${number.name}\` has ${number.examples[0]}: what stands before the decimals?`,
      [
        { value: "point", shown: "a point" },
        { value: "comma", shown: "a comma" },
      ],
      "point",
    )) as "point";
  return found;
}

async function keyOf(
  chooser: Chooser,
  folder: string,
  place: TablePlace,
  { columns }: TableLook,
  counted: Awaited<ReturnType<typeof runJob<typeof findKeys.input, typeof findKeys.report, never, undefined>>> | { error: unknown },
  { key }: StartOptions,
): Promise<{ place: TablePlace; key: string | string[] }> {
  if (key && key.length > 0) return { place, key: key.length === 1 ? key[0]! : [...key] };
  if ("error" in counted) throw counted.error;
  const { candidates, rows } = counted;
  const [first] = candidates;
  if (first !== undefined) {
    // One that says so itself need not be asked about.
    const isNamed = /(^|[^\p{L}])(id|key|no|nr|number|ref|ticket|case)([^\p{L}]|$)|(Id|ID|No|Nr|Key)$/iu.test(first.column);
    const example = (column: string): string => cut(columns.find(({ name }) => name === column)?.examples[0] ?? "", 40);
    const taken =
      candidates.length === 1 || isNamed
        ? first.column
        : await chooser.one(
            "Which column names a row? (it never repeats)",
            candidates.slice(0, 20).map(({ column }) => ({ value: column, about: example(column) })),
            first.column,
          );
    const blank = candidates.find(({ column }) => column === taken)?.blank ?? 0;
    if (blank > 0)
      note(
        `${plural(blank, "row")} of ${rows} without a \`${taken}\` ${blank === 1 ? "is" : "are"} left as ${blank === 1 ? "it is" : "they are"}.`,
      );
    return { place, key: taken };
  }
  const add = "add";
  const said = await chooser.one(
    `No column names each of the ${plural(rows, "row")}: all repeat, or have blanks. What now?`,
    [
      { value: add, shown: "copy the table into a CSV file with a column `rowId` that numbers the rows" },
      { value: "stop", shown: "stop: I give the table such a column myself" },
    ],
    add,
  );
  if (said !== add || !("file" in place))
    throw new YoroshiError("badOption", {
      option: "--key",
      problem: "no column of the table names a row; give it one that never repeats.",
    });
  const { file } = await runJob(numberRows, undefined, { folder, place, column: "rowId" });
  note(`${file} is written, with \`rowId\`. The project is made around it; your own file stays as it is.`);
  return { place: { file }, key: "rowId" };
}

/** The model drafts a template from one's own words, which the plan's further step asks. */
async function draft(project: Project, made: Made, place: TablePlace, words: string): Promise<string | undefined> {
  if (!("file" in place)) return undefined;
  const { file, sheet, headerRow } = place;
  const name = `${made.plan}-words`;
  const report = await runJob(draftTemplate, project, { template: name, description: words, table: file, sheet, headerRow, write: true });
  if (!report.written) {
    note(warn("The model's draft cannot be used as it is; the plan fills one sentence instead. Try `yoroshi new` with other words."));
    return undefined;
  }
  await runJob(addStep, project, { plan: made.plan, template: name });
  return name;
}

type Made = JobReport<typeof startProject>;
type FirstRows = JobReport<typeof tryFirst>;

function printLook({ name, sheet, headerRow, columns, lookedAt }: TableLook): void {
  const where = [sheet && `sheet ${sheet}`, headerRow && `names in row ${headerRow}`].filter(Boolean).join(", ");
  out(`${heading(name)}  ${quiet([where, plural(columns.length, "column")].filter(Boolean).join(", "))}`);
  const shown = columns.filter(({ looksLike }) => looksLike !== "empty").slice(0, 14);
  out(
    table(
      ["column", "", "filled", "for example"],
      shown.map(({ name: column, looksLike, filled, language, examples }) => [
        cut(column, 30),
        language === undefined ? KIND_WORDS[looksLike] : `${KIND_WORDS[looksLike]}, ${LANGUAGES.of(language) ?? language}`,
        `${Math.round(filled * 100)} %`,
        examples[0] ?? "",
      ]),
      { right: [2], width: { 3: 60 } },
    ),
  );
  if (columns.length > shown.length) out(quiet(`  … and ${columns.length - shown.length} more`));
  if (lookedAt >= 1_000) out(quiet(`  by the first ${lookedAt} rows`));
}

const LANGUAGES = new Intl.DisplayNames("en", { type: "language" });

const KIND_WORDS: Readonly<Record<TableLook["columns"][number]["looksLike"], string>> = {
  text: "text",
  choice: "a few words that repeat",
  number: "number",
  date: "day",
  yesNo: "yes or no",
  name: "names",
  empty: "empty",
};

function printMade(made: Made, answers: FirstRows, folder: string): void {
  out(`\n${good("written")}  ${made.files.join(", ")}`);
  for (const { key, text, values, reason } of answers.rows) {
    out(`\n  ${heading(key)}  ${quiet(cut(text, 100))}`);
    for (const [column, value] of Object.entries(values)) out(`  ${quiet("→")} ${column}: ${cut(String(value), 100)}`);
    if (reason) out(`  ${warn(reason)}`);
  }
  if (answers.standin)
    note(
      `\n${warn("Answered by the offline stand-in, not by a language model.")} ${quiet("`yoroshi model add` names one; the plan stays as it is.")}`,
    );
  const inside = path.relative(process.cwd(), folder);
  const where = inside === "" ? "" : `cd ${inside}, then `;
  out(
    `\n${quiet(`${where}yoroshi fill ${made.plan} fills all rows. templates/${made.template}.yaml is yours to better: yoroshi try ${made.plan}.`)}`,
  );
}

import { formatMoney, plural } from "../../core/ground/index.js";
import {
  explainRow,
  letStand,
  readChanges,
  runJob,
  STATE_MARKS,
  surveyPlan,
  type ChangesReport,
  type RowExplanation,
  type StepExplanation,
  type SurveyReport,
  type Watched,
} from "../../jobs/index.js";
import { block, good, heading, out, outJson, quiet, table, warn } from "../print/print.js";
import { printEvidence } from "../print/evidence.js";
import { hostLine } from "../print/hosts.js";
import { whoIs } from "../who.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface StatusOptions extends CommonOptions {
  readonly empty?: boolean | undefined;
  readonly cell?: string | undefined;
  readonly column?: string | undefined;
  readonly changes?: boolean | string | undefined;
  readonly letStand?: boolean | undefined;
  readonly where?: string | undefined;
  readonly as?: string | undefined;
}

/** A state with the sign that it has everywhere: in sheets, reports and on pages. */
const marked = (state: keyof typeof STATE_MARKS): string => `${STATE_MARKS[state].sign} ${state}`.trim();

const STATES: readonly SurveyReport["reasons"][number]["state"][] = ["filled", "edited", "stale", "held", "failed", "skipped", "blank"];

/** `yoroshi status`: how every cell stands, and why cells have no value. */
export async function status(name: string, options: StatusOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { currency } = project.settings;
    if (options.cell !== undefined) {
      const found = await runJob(explainRow, project, { plan: name, key: options.cell, column: options.column });
      if (options.json) outJson(found);
      else printExplained(found, currency);
      return 0;
    }
    if (options.changes !== undefined && options.changes !== false) {
      const found = await runJob(readChanges, project, { plan: name, run: options.changes === true ? undefined : options.changes });
      if (options.json) outJson(found);
      else printChanges(found);
      return 0;
    }
    if (options.letStand) {
      const stands = await runJob(letStand, project, { plan: name, where: options.where, by: whoIs(options.as) });
      if (options.json) outJson(stands);
      else
        for (const [step, rows] of Object.entries(stands.rows))
          out(
            `${good("left to stand")}  ${step}: ${plural(rows, "row")}${rows > 0 ? quiet(", until what they rest on changes once more") : ""}`,
          );
      return 0;
    }
    const report = await runJob(surveyPlan, project, { plan: name, empty: options.empty });
    if (options.json) outJson(report);
    else printReport(report, currency);
    return 0;
  });
}

function printChanges({ plan, run, startedAt, total, changes }: ChangesReport): void {
  out(heading(`Plan ${plan}`) + quiet(`  run ${run}, ${startedAt.slice(0, 16).replace("T", " ")} UTC: ${plural(total, "cell")} altered`));
  const text = (value: ChangesReport["changes"][number]["before"]): string => (value === null ? "" : String(value));
  if (changes.length > 0)
    out(
      table(
        ["row", "column", "before", "after", "why"],
        changes.map(({ key, column, before, after, why }) => [key, column, text(before), text(after), why]),
        { width: { 2: 30, 3: 30, 4: 50 } },
      ),
    );
  if (total > changes.length) out(quiet(`… and ${total - changes.length} more; --json gives them, too.`));
}

function printReport(report: SurveyReport, currency: string): void {
  const money = (amount: number): string => formatMoney(Math.round(amount * 1e6), currency);
  out(heading(`Plan ${report.plan}`) + quiet(`  ${plural(report.rows, "row")} of ${report.table}`));
  printSurvey(report);
  if (report.empty && report.empty.length > 0) {
    out(`\n${heading("Rows with cells without an up-to-date value")}`);
    out(table(["row", "columns", "state", "why"], rowsOf(report.empty), { width: { 1: 40 } }));
  }
  for (const one of report.keptTo)
    out(quiet(`\n${one.step} keeps to version ${one.version} of ${one.template}; today's file is version ${one.today}.`));
  const { lastRun, month } = report;
  if (lastRun) out(`\n${quiet(`Last fill ${lastRun.startedAt.slice(0, 16).replace("T", " ")} UTC: ${lastRun.end}.`)}`);
  if (report.watched) printWatched(report.watched, money);
  for (const host of report.hosts)
    out(warn(`${hostLine(host)} Since ${host.since.slice(0, 16).replace("T", " ")} UTC: ${plural(host.cells, "cell")} of this plan.`));
  printWorkers(report);
  printSpend(report.spend, money);
  if (month) out(quiet(`This month ${money(month.spent)} of ${money(month.cap)} spent by all plans and trials.`));
}

const WATCH_WORDS = {
  off: "nobody watches it",
  standby: "another process watches it",
  waiting: "watched",
  round: "a round goes on",
  resting: "watched, and rests",
} as const;

/** Who watches the plan, and how far it is behind. */
function printWatched({ every, changes, by, watch, messages }: Watched, money: (amount: number) => string): void {
  const when = (iso: string): string => `${iso.slice(0, 19).replace("T", " ")} UTC`;
  const cause = [every !== null && `every "${every}"`, (changes || by !== null) && "on changes"].filter(Boolean).join(", ");
  const { lastRound = null, nextRound = null, problem = null, lagMs = 0, state = "off" } = watch ?? {};
  const lines: (readonly [string, string])[] = [
    ["watch", `${WATCH_WORDS[state]}${cause ? `; ${cause}` : ""}${problem ? `: ${problem}` : ""}`],
    ...(lagMs > 0 ? [["lag", `${(lagMs / 1000).toFixed(1)} s: the oldest change that no round has taken up`] as const] : []),
    ...(lastRound
      ? [
          [
            "last round",
            `${when(lastRound.at)}: ${lastRound.asked} asked, ${plural(lastRound.changes, "cell")} altered, ${money(lastRound.spent)}, ${lastRound.end}${lastRound.problem ? `: ${lastRound.problem}` : ""}`,
          ] as const,
        ]
      : []),
    ...(nextRound ? [["next round", when(nextRound)] as const] : []),
    ...(messages > 0 ? [["messages", `${messages} of its rules wait to be taken`] as const] : []),
  ];
  if (watch === null && cause === "" && messages === 0) return;
  out(table(["", ""], watch === null && cause === "" ? lines.slice(1) : lines));
}

/** A line for each row and reason, however many of its columns they concern. */
function rowsOf(cells: NonNullable<SurveyReport["empty"]>): string[][] {
  const lines = new Map<string, { readonly cell: (typeof cells)[number]; readonly columns: string[] }>();
  for (const cell of cells) {
    const name = JSON.stringify([cell.key, cell.state, cell.reason]);
    const line = lines.get(name) ?? { cell, columns: [] };
    line.columns.push(cell.column);
    lines.set(name, line);
  }
  return [...lines.values()].map(({ cell: { key, state, reason }, columns }) => [key, columns.join(", "), marked(state), reason]);
}

/** One row's cells, step by step. */
function printExplained({ plan, table: source, steps }: RowExplanation, currency: string): void {
  out(heading(steps[0]!.key) + quiet(`  ${steps[0]!.place} of ${source}, plan ${plan}`));
  for (const one of steps) {
    if (steps.length > 1) out(`\n${heading(`Step ${one.step}`)}  ${quiet(one.columns.join(", "))}`);
    explainStep(one, currency);
  }
}

/** What was shown of a picture, a document or a page, and what was done to find it. */
function seenLines({ input, type, bytes, address, fetchedAt, pictures = [], steps = [] }: Seen): string[][] {
  const size = `${Math.ceil(bytes / 1000)} kB`;
  const sent = pictures.map(({ width, height, bytes: own }) => `${width} x ${height} points, ${Math.ceil(own / 1000)} kB`);
  return [
    ...(steps.length > 0
      ? []
      : [
          [
            "shown",
            `${input}: ${type}, ${size}${address ? `, ${address}` : ""}${fetchedAt ? `, fetched ${fetchedAt.slice(0, 10)}` : ""}${sent.length > 0 ? `; sent as ${sent.join("; ")}` : ""}`,
          ],
        ]),
    ...steps.map(({ did, what, found, chars, problem }) => [
      did === "search" ? "searched" : did === "read" ? "read" : "followed",
      `${what}: ${problem ?? (did === "search" ? `${found} found` : `${chars} characters`)}`,
    ]),
  ];
}

type Seen = NonNullable<NonNullable<StepExplanation["answer"]>["answer"]["seen"]>[number];

/** How one step's cells came about, in the order in which one would ask. */
function explainStep(found: StepExplanation, currency: string): void {
  const { record, answer, prompt } = found;
  const when = (at: number): string => `${new Date(at).toISOString().slice(0, 16).replace("T", " ")} UTC`;
  out(
    table(
      ["", ""],
      [
        ["state", `${marked(found.state)}${found.reason ? `: ${found.reason}` : ""}`],
        ...(record ? [["since", `${when(record.at)}, run ${record.run}`]] : []),
        ...(record?.notes ?? []).map((note) => ["note", note]),
        ...(answer
          ? [
              ["answered by", `${answer.model}, template ${answer.template} version ${answer.version}, ${when(answer.at)}`],
              [
                "cost",
                `${formatMoney(Math.round(answer.answer.spent * 1e6), currency)}, ${answer.answer.asks === 0 && answer.answer.usage.tokensIn > 0 ? "its share of a request" : plural(answer.answer.asks, "request")}, ${answer.answer.usage.tokensIn} tokens in, ${answer.answer.usage.tokensOut} out`,
              ],
            ]
          : []),
        ...(answer?.answer.seen ?? []).flatMap(seenLines),
        ...(answer && answer.answer.notes.length > 0 ? [["reading it", answer.answer.notes.join(", ")]] : []),
        ...(answer?.answer.confidence
          ? [["confidence", `${answer.answer.confidence.value.toFixed(2)} by ${answer.answer.confidence.by}`]]
          : []),
        ...(record?.fingerprint ? [["fingerprint", record.fingerprint.slice(0, 16)]] : []),
      ],
      { width: { 1: 110 } },
    ),
  );
  const columns = Object.keys({ ...record?.values, ...record?.edited, ...record?.held?.values });
  if (columns.length > 0) {
    out(`\n${heading("Values")}`);
    out(
      table(
        ["column", "value", "instead, by a person", "held"],
        columns.map((column) => [
          column,
          String(record?.values[column] ?? ""),
          record?.edited?.[column] ?? "",
          String(record?.held?.values[column] ?? ""),
        ]),
        { width: { 1: 60, 2: 40, 3: 40 } },
      ),
    );
  }
  printEvidence(answer?.answer.evidence);
  if (found.decisions.length > 0) {
    out(`\n${heading("Decisions")}`);
    out(
      table(
        ["when", "who", "column", "what", "reason", "act"],
        found.decisions.map((one) => [
          one.at.slice(0, 16).replace("T", " "),
          one.by,
          one.column,
          `${one.how}${one.given === undefined ? "" : ` ${one.given}`}${one.undone ? ", taken back" : ""}`,
          one.reason ?? "",
          one.act,
        ]),
        { width: { 3: 40, 4: 40 } },
      ),
    );
  }
  if (prompt) {
    out(`\n${heading("Prompt")}  ${quiet(found.same ? "to which this is the answer" : "as it would be asked now")}`);
    for (const { role, content } of prompt) out(`${quiet(role)}\n${block(content)}`);
  }
  if (answer) out(`\n${heading("Reply")}\n${block(answer.answer.raw)}`);
}

/** Who works for fills that are spread, and how far the plan's is. */
function printWorkers({ workers = [], spread }: SurveyReport): void {
  if (spread)
    out(
      `\nA fill is spread: ${plural(spread.taken, "chunk")} in hand, ${spread.waiting} waiting${spread.again > 0 ? `, ${spread.again} taken again` : ""}.`,
    );
  if (workers.length === 0) return;
  out(`\n${heading("Workers")}`);
  out(
    table(
      ["worker", "chunks", "rows asked", "rows a minute", ""],
      workers.map(({ name, chunks, asked, pace, refuses }) => [name, chunks, asked, pace, refuses ? `takes nothing: ${refuses}` : ""]),
      { right: [1, 2, 3], width: { 4: 60 } },
    ),
  );
}

/** What all fills of the plan were charged, at the prices of their days. */
function printSpend(spend: SurveyReport["spend"], money: (amount: number) => string): void {
  if (spend.length === 0) return;
  out(`\n${heading("Spent in all")}`);
  const steps = new Set(spend.map(({ step }) => step)).size > 1;
  out(
    table(
      [...(steps ? ["step"] : []), "model", "requests", "tokens in", "tokens out", "spent"],
      spend.map(({ step, model, requests, tokensIn, tokensOut, spent, unsure }) => [
        ...(steps ? [step === "" ? "-" : step] : []),
        model,
        requests,
        tokensIn.toLocaleString("en"),
        tokensOut.toLocaleString("en"),
        `${money(spent)}${unsure > 0 ? `, perhaps ${money(unsure)} more` : ""}`,
      ]),
      { right: steps ? [2, 3, 4, 5] : [1, 2, 3, 4] },
    ),
  );
}

function printSurvey({ columns, reasons, notes }: SurveyReport): void {
  const used = STATES.filter((state) => Object.values(columns).some((counts) => (counts[state] ?? 0) > 0));
  out(
    table(
      ["column", ...used.map(marked)],
      Object.entries(columns).map(([column, counts]) => [column, ...used.map((state) => counts[state] ?? 0)]),
      { right: used.map((_, index) => index + 1) },
    ),
  );
  if (reasons.length > 0) {
    out(`\n${heading("Why cells are empty or out of date")}`);
    const steps = new Set(reasons.map(({ step }) => step)).size > 1;
    out(
      table(
        ["rows", ...(steps ? ["step"] : []), "state", "why", "for example"],
        reasons.map(({ rows, step, state, reason, keys }) => [
          rows,
          ...(steps ? [step] : []),
          marked(state),
          reason,
          keys.slice(0, 3).join(", "),
        ]),
        { right: [0], width: { [steps ? 3 : 2]: 60 } },
      ),
    );
  }
  if (notes.length > 0) {
    out(`\n${heading("How some values came about")}`);
    out(
      table(
        ["rows", "", "for example"],
        notes.map(({ rows, note, keys }) => [rows, note, keys.slice(0, 3).join(", ")]),
        { right: [0], width: { 1: 70 } },
      ),
    );
  }
}

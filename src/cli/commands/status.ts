import { formatMoney, plural, survey, type CellState, type OpenCell, type Survey } from "../../core/index.js";
import { heading, out, outJson, quiet, table } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface StatusOptions extends CommonOptions {
  readonly empty?: boolean | undefined;
}

const STATES: readonly CellState[] = ["filled", "edited", "stale", "held", "failed", "skipped", "blank"];

/** `yoroshi status`: how every cell stands, and why cells have no value. */
export async function status(name: string, options: StatusOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { setup } = await project.fillSetup(name);
    const open: OpenCell[] = [];
    const result = await survey(setup, options.empty ? (cell) => open.push(cell) : undefined);
    const ledger = project.ledger();
    const [last] = await ledger.runs("fill", setup.plan.name, 1);
    const spend = await ledger.spend(setup.plan.name);
    if (options.json) {
      outJson({ plan: setup.plan.name, ...result, ...(options.empty ? { empty: open } : {}), lastRun: last ? { id: last.id, startedAt: new Date(last.startedAt).toISOString(), end: last.end ?? "broken off" } : null, spend: spend.map((line) => ({ ...line, spent: line.spent / 1e6 })) });
      return 0;
    }
    out(heading(`Plan ${setup.plan.name}`) + quiet(`  ${plural(result.rows, "row")} of ${setup.table.name}`));
    printSurvey(result);
    if (options.empty) {
      out(`\n${heading("Cells without an up-to-date value")}`);
      out(table(["row", "column", "state", "why"], open.map((cell) => [cell.key, cell.column, cell.state, cell.reason])));
    }
    if (last) out(`\n${quiet(`Last fill ${new Date(last.startedAt).toISOString().slice(0, 16).replace("T", " ")} UTC: ${last.end ?? "broken off"}.`)}`);
    for (const { model, answers, spent } of spend) out(quiet(`${plural(answers, "answer")} of ${model} for ${formatMoney(spent, project.settings.currency)} in all.`));
    return 0;
  });
}

function printSurvey({ columns, reasons, notes }: Survey): void {
  const used = STATES.filter((state) => Object.values(columns).some((counts) => (counts[state] ?? 0) > 0));
  out(table(["column", ...used], Object.entries(columns).map(([column, counts]) => [column, ...used.map((state) => counts[state] ?? 0)]), { right: used.map((_, index) => index + 1) }));
  if (reasons.length > 0) {
    out(`\n${heading("Why cells are not filled")}`);
    out(table(["rows", "state", "why", "for example"], reasons.map(({ rows, state, reason, keys }) => [rows, state, reason, keys.slice(0, 3).join(", ")]), { right: [0], width: { 2: 60 } }));
  }
  if (notes.length > 0) {
    out(`\n${heading("How some values came about")}`);
    out(table(["rows", "", "for example"], notes.map(({ rows, note, keys }) => [rows, note, keys.slice(0, 3).join(", ")]), { right: [0], width: { 1: 70 } }));
  }
}

import {
  checkPlan,
  isKeyless,
  keyCandidates,
  NO_KEY,
  type Complaint,
  type Plan,
  type Row,
  type RowsSource,
  type SourceDocument,
  type Table,
  type Template,
} from "../core/index.js";
import type { Tables } from "./tables.js";

/** So many rows are looked at for columns that could be the key. */
const LOOKED_AT = 2_000;
const MOST_NAMED = 5;

/** Holds a plan against its templates and its table; where a column is missing, against the rows at the top of its file, too. */
export async function checkAgainst(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
  name: string,
  table: Table,
): Promise<Complaint[]> {
  const columns = await table.columns();
  const found = checkPlan(plan, templates, document, { name, columns });
  if (!table.topRows || !found.some(({ code }) => code === "unknownColumn")) return found;
  return checkPlan(plan, templates, document, { name, columns, top: await table.topRows() });
}

/** Complaints of a plan that could not be read; where its table lacks a key, with the columns that could be it. */
export async function withKeyCandidates(
  tables: Tables,
  document: SourceDocument | undefined,
  complaints: readonly Complaint[],
): Promise<Complaint[]> {
  const source = (document?.value as { table?: unknown } | undefined)?.table;
  if (!isKeyless(source)) return [...complaints];
  const candidates = await candidatesIn(tables, source as RowsSource).catch(() => []);
  if (candidates.length === 0) return [...complaints];
  const advice = ` In its rows these do: ${candidates
    .slice(0, MOST_NAMED)
    .map((one) => `\`key: ${one.length === 1 ? one[0] : `[${one.join(", ")}]`}\``)
    .join(", ")}.`;
  return complaints.map((complaint) =>
    complaint.message.includes(NO_KEY) ? { ...complaint, message: `${complaint.message}${advice}` } : complaint,
  );
}

async function candidatesIn(tables: Tables, source: RowsSource): Promise<string[][]> {
  const seen: Row[] = [];
  const { rows } = await tables.rows(source);
  for await (const some of rows()) {
    for (const values of some) seen.push({ key: "", place: "", values });
    if (seen.length >= LOOKED_AT) break;
  }
  return keyCandidates(seen, []);
}

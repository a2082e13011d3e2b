import { readSmallCsv } from "../adapters/csv/index.js";
import { sqliteLookup } from "../adapters/sqlite-lookup/index.js";
import { DEFAULT_RELATED_LIMIT, inlineReference, YoroshiError, type Passage, type Plan, type ReferenceRow, type ReferenceSpec, type References, type Related, type Surroundings, type Template } from "../core/index.js";
import { insideProject, readText } from "./files.js";
import { openRows } from "./tables.js";
import { readSmallTable } from "./small-table.js";

/** The references of a template that stand in files. */
export async function readReferences(root: string, template: Template): Promise<References> {
  const references: Record<string, readonly ReferenceRow[]> = {};
  for (const [name, spec] of Object.entries(template.references ?? {})) if (!inlineReference(spec)) references[name] = await readReference(root, name, spec as Extract<ReferenceSpec, { file: string }>);
  return references;
}

async function readReference(root: string, name: string, spec: Extract<ReferenceSpec, { file: string }>): Promise<ReferenceRow[]> {
  const { columns, rows } = await readSmallCsv(insideProject(root, spec.file), spec.file);
  const taken: Record<string, string | undefined> = { ...(spec.columns ?? { name: columns[0] ?? "", about: columns[1] }) };
  for (const column of Object.values(taken)) {
    if (column !== undefined && !columns.includes(column)) {
      throw new YoroshiError("tableBroken", { table: spec.file, place: "row 1", problem: `there is no column \`${column}\`, which the reference \`${name}\` reads. Columns: ${columns.join(", ")}.` });
    }
  }
  return rows.flatMap(({ place, values }) => {
    const row = Object.fromEntries(Object.entries(taken).flatMap(([key, column]) => (column === undefined || !values[column]?.trim() ? [] : [[key, values[column].trim()]]))) as Record<string, string>;
    if (!row["name"]) return [];
    if (row["rate"] === undefined) return [row as unknown as ReferenceRow];
    const rate = Number(row["rate"]);
    if (!(rate > 0)) throw new YoroshiError("tableBroken", { table: spec.file, place, problem: `the rate of \`${row["name"]}\` is not a number above 0.` });
    return [{ ...row, rate } as unknown as ReferenceRow];
  });
}

/** The documents, passages and labelled rows that a template names. */
export async function readSurroundings(root: string, template: Template): Promise<Omit<Surroundings, "run">> {
  const text = (file: string): Promise<string> => readText(insideProject(root, file), file);
  const background = await Promise.all((template.background ?? []).map(async (file) => ({ name: file, text: await text(file) })));
  const passages: Passage[] = await readPassages(root, template);
  const { examples } = template;
  if (!examples || !("from" in examples)) return { background, passages };
  return { background, passages, labelled: { file: examples.from, ...(await readSmallTable(insideProject(root, examples.from), examples.from)) } };
}

export async function readPassages(root: string, template: Template): Promise<Passage[]> {
  return Promise.all(Object.entries(template.passages ?? {}).map(async ([name, file]) => ({ name, file, text: await readText(insideProject(root, file), file) })));
}

/** The related rows that a plan names, ready to be looked up. */
export function relatedOf(root: string, plan: Plan): Record<string, Related> {
  return Object.fromEntries(
    Object.entries(plan.related ?? {}).map(([name, { table, match, columns, order, limit, keep }]) => [
      name,
      sqliteLookup(openRows(insideProject(root, table.file), table.file), { match, columns, order, limit: limit ?? DEFAULT_RELATED_LIMIT, keep: keep ?? "newest" }),
    ]),
  );
}

import {
  inlineReference,
  sourceName,
  YoroshiError,
  type Passage,
  type ReferenceRow,
  type ReferenceSpec,
  type References,
  type Surroundings,
  type Template,
} from "../core/index.js";
import { insideProject, readText } from "./files.js";
import type { Tables } from "./tables.js";

/** The references of a template that stand in files. */
export async function readReferences(tables: Tables, template: Template): Promise<References> {
  const references: Record<string, readonly ReferenceRow[]> = {};
  for (const [name, spec] of Object.entries(template.references ?? {}))
    if (!inlineReference(spec)) references[name] = await readReference(tables, name, spec as SourcedReference);
  return references;
}

type SourcedReference = Exclude<ReferenceSpec, { entries: unknown }>;

async function readReference(tables: Tables, name: string, spec: SourcedReference): Promise<ReferenceRow[]> {
  const { columns, rows } = await tables.small(spec);
  const table = sourceName(spec);
  const taken: Record<string, string | undefined> = { ...(spec.columns ?? { name: columns[0] ?? "", about: columns[1] }) };
  for (const column of Object.values(taken)) {
    if (column !== undefined && !columns.includes(column)) {
      throw new YoroshiError("tableBroken", {
        table,
        place: "row 1",
        problem: `there is no column \`${column}\`, which the reference \`${name}\` reads. Columns: ${columns.join(", ")}.`,
      });
    }
  }
  return rows.flatMap(({ place, values }) => {
    const row = Object.fromEntries(
      Object.entries(taken).flatMap(([key, column]) =>
        column === undefined || !values[column]?.trim() ? [] : [[key, values[column].trim()]],
      ),
    ) as Record<string, string>;
    if (!row["name"]) return [];
    const { name, ...others } = row;
    if (row["rate"] === undefined) return [{ name, ...others }];
    const rate = Number(row["rate"]);
    if (!(rate > 0))
      throw new YoroshiError("tableBroken", { table, place, problem: `the rate of \`${row["name"]}\` is not a number above 0.` });
    return [{ name, ...others, rate }];
  });
}

/** The files that a template's prompt is made of besides its own, relative to the project; `undefined` where some of it is no file. */
export function surroundingFiles({ references, background, passages, examples }: Template): string[] | undefined {
  const sources = Object.values(references ?? {}).filter((spec) => !inlineReference(spec)) as SourcedReference[];
  if (sources.some((source) => !("file" in source))) return undefined;
  const files = sources.flatMap((source) => ("file" in source ? [source.file] : []));
  return [...files, ...(background ?? []), ...Object.values(passages ?? {}), ...(examples && "from" in examples ? [examples.from] : [])];
}

/** The documents, passages and labelled rows that a template names. */
export async function readSurroundings(
  root: string,
  folders: readonly string[],
  tables: Tables,
  template: Template,
): Promise<Omit<Surroundings, "run">> {
  const text = (file: string): Promise<string> => readText(insideProject(root, file, folders), file);
  const background = await Promise.all((template.background ?? []).map(async (file) => ({ name: file, text: await text(file) })));
  const passages: Passage[] = await readPassages(root, folders, template);
  const { examples } = template;
  if (!examples || !("from" in examples)) return { background, passages };
  return { background, passages, labelled: { file: examples.from, ...(await tables.small({ file: examples.from })) } };
}

export async function readPassages(root: string, folders: readonly string[], template: Template): Promise<Passage[]> {
  return Promise.all(
    Object.entries(template.passages ?? {}).map(async ([name, file]) => ({
      name,
      file,
      text: await readText(insideProject(root, file, folders), file),
    })),
  );
}

import { existsSync } from "node:fs";
import { mkdir } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { inDatabase, templateSteps, YoroshiError, type Plan } from "../core/index.js";
import { writeWhole } from "../files/index.js";
import type { Project } from "../project/index.js";
import { addRows } from "./add-rows.js";
import { defineJob } from "./job.js";
import { whileHolding } from "./while-holding.js";

/** A question becomes a row of a plan that keeps its answer fresh. */
export const keepQuestion = defineJob({
  name: "keepQuestion",
  summary: "Keeps a question as a row of a plan, which answers it again whenever its table has changed. Asks nothing.",
  input: z.strictObject({
    /** A plan, or a table: a file's path, or `main:deck_log`. */
    of: z.string().min(1),
    question: z.string().min(1).max(2_000),
    /** The plan that keeps it: one that is there and asks the same table, or a new one. */
    plan: z.string().regex(/^[a-z0-9][a-z0-9-]*$/, "is made of small letters, digits and hyphens"),
  }),
  report: z.object({ plan: z.string(), file: z.string(), table: z.string(), key: z.string(), isNew: z.boolean() }),
  async run(project, { of, question, plan: name }, context) {
    const file = path.posix.join("plans", `${name}.yaml`);
    return whileHolding(project, `file:${file}`, file, async () => {
      const isNew = !(await project.isPlan(name));
      const column = isNew ? await begin(project, file, name, of) : wordsColumn(await project.plan(name), of);
      const { keys, table } = await addRows.run(project, { plan: name, rows: [{ [column]: question }] }, context);
      return { plan: name, file, table, key: keys[0]!, isNew };
    });
  },
});

/** A plan and its table of questions. @throws YoroshiError `badOption` where a file of that name is there. */
async function begin(project: Project, file: string, name: string, of: string): Promise<string> {
  if (!(await project.isPlan(of))) await project.tables.rows(project.tables.named(of)).then((source) => source.columns());
  const table = `${name}.csv`;
  const taken = [file, table].find((one) => existsSync(path.join(project.root, one)));
  if (taken !== undefined)
    throw new YoroshiError("badOption", { option: "--keep", problem: `${taken} is there already. Give another name.` });
  const text = [
    "yoroshi: plan/1",
    `name: ${name}`,
    `title: ${JSON.stringify(`Questions about ${of}, answered again whenever it has changed`)}`,
    `table: { file: ${table}, key: id }`,
    "steps:",
    "  ask:",
    `    inquire: { of: ${JSON.stringify(of)}, words: question }`,
    "    fill: { answer: answer, counted: counted, found: rows, keys: keys }",
    "",
  ].join("\n");
  await mkdir(path.join(project.root, "plans"), { recursive: true });
  await writeWhole(path.join(project.root, table), table, (write) => write(Buffer.from("id,question\n")));
  await writeWhole(path.join(project.root, file), file, (write) => write(Buffer.from(text)));
  return "question";
}

/** The column with the questions of a plan that asks a table. @throws YoroshiError `badOption` for a plan that asks no such questions. */
function wordsColumn(plan: Plan, of: string): string {
  const asked = templateSteps(plan).flatMap(({ step }) => (step.inquire ? [step.inquire] : []));
  const own = asked.find((one) => one.of === of);
  if (own && !inDatabase(plan.table)) return own.words;
  const problem =
    own !== undefined
      ? `the plan ${plan.name} keeps its questions in a database; add the row there.`
      : asked.length > 0
        ? `the plan ${plan.name} asks ${asked[0]!.of}, not ${of}. Give another name.`
        : `the plan ${plan.name} is there already, and asks no questions of a table. Give another name.`;
  throw new YoroshiError("badOption", { option: "--keep", problem });
}

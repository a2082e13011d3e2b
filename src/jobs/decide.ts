import * as z from "zod";
import {
  checkFigures,
  currentCheck,
  decideRow,
  drawCheck as draw,
  letStand as standing,
  releaseShown,
  sameValue,
  undoDecision as takeBack,
  undoRun,
  writeDecided,
  YoroshiError,
  type RowVerdict,
} from "../core/index.js";
import { beginRules, followedShape, followPlan } from "./follow-rules.js";
import { defineJob } from "./job.js";
import { checkTold } from "./review-rows.js";
import { count } from "./schemas.js";
import { wishRound } from "./watch/wish-round.js";

const by = z.string().min(1);
const verdict = z.discriminatedUnion("how", [
  z.strictObject({ how: z.literal("accept") }),
  z.strictObject({ how: z.literal("edit"), value: z.string(), reason: z.string().optional() }),
  z.strictObject({ how: z.literal("reject"), value: z.string().optional(), reason: z.string().optional() }),
  z.strictObject({ how: z.literal("askAgain"), says: z.string() }),
]);

/** What a person decides about a row's values; see `readReview`. The table takes it by `writeReview`, or at the next fill. */
export const decide = defineJob({
  name: "decide",
  summary: "Keeps what a person decides about a row's values: accept, edit, reject, ask again.",
  input: z.strictObject({
    plan: z.string(),
    step: z.string(),
    key: z.string(),
    /** Column -> what is decided. */
    columns: z.record(z.string(), verdict),
    /** Column -> the mark of what was shown. */
    judged: z.record(z.string(), z.string()).optional(),
    by,
    tookMs: z.number().min(0).optional(),
  }),
  report: z.object({
    act: z.string(),
    key: z.string(),
    /** Column -> what came of it; `open` while another must say the same. */
    columns: z.record(z.string(), z.enum(["decided", "open", "disputed", "askedAgain"])),
  }),
  async run(project, { plan, ...decision }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const { act, columns } = await decideRow(setup, decision);
    return { act, key: decision.key, columns: { ...columns } };
  },
});

/** What a person found in a row of a random check, before they saw what the model said. */
export const judgeChecked = defineJob({
  name: "judgeChecked",
  summary: "Keeps what a person found in a row of a random check, and tells what the model had said.",
  input: z.strictObject({
    plan: z.string(),
    step: z.string(),
    key: z.string(),
    /** Column -> the value that is right; of free words `true` or `false`, whether they are. */
    found: z.record(z.string(), z.union([z.string(), z.boolean()])),
    judged: z.record(z.string(), z.string()),
    by,
    tookMs: z.number().min(0).optional(),
  }),
  report: z.object({
    act: z.string(),
    key: z.string(),
    /** Column -> what the model had said, and whether it is the same. */
    columns: z.record(z.string(), z.object({ value: z.string(), same: z.boolean() })),
    /** Columns that the check has now shown to be good enough for the table. */
    released: z.array(z.string()),
  }),
  async run(project, { plan, step, key, found, ...rest }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const check = await currentCheck(setup, step);
    const drawn = check?.rows.find((row) => row.key === key);
    if (!check || !drawn) throw new YoroshiError("nothingToDecide", { plan: setup.plan.name, key });
    const told: Record<string, { value: string; same: boolean }> = {};
    const columns: Record<string, RowVerdict> = {};
    for (const [column, said] of Object.entries(found)) {
      const value = drawn.values[column] ?? "";
      const same = typeof said === "boolean" ? said : sameValue(setup, step, column, said, value, key);
      told[column] = { value: String(value), same };
      columns[column] = same
        ? { how: "accept" }
        : typeof said === "boolean"
          ? { how: "reject", reason: "wrong, by a random check" }
          : { how: "edit", value: said };
    }
    const blind = Object.values(found).some((said) => typeof said === "string");
    const { act } = await decideRow(setup, { step, key, columns, ...rest, check: check.id, blind });
    const released = await releaseShown(setup, await checkFigures(setup, check), rest.by);
    return { act, key, columns: told, released };
  },
});

/** Takes a decision back. */
export const undoDecision = defineJob({
  name: "undoDecision",
  summary: "Takes a decision back: its values wait again, or stand as before.",
  input: z.strictObject({
    plan: z.string(),
    /** The decision's act; or a row's key, for the newest decision about it. */
    act: z.string().optional(),
    key: z.string().optional(),
    by,
  }),
  report: z.object({ act: z.string(), key: z.string(), step: z.string(), columns: z.array(z.string()), movedOn: z.array(z.string()) }),
  async run(project, { plan, act, key, by: who }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const { columns, movedOn, ...undone } = await takeBack(setup, {
      ...(act === undefined ? {} : { act }),
      ...(key === undefined ? {} : { key }),
      by: who,
    });
    return { ...undone, columns: [...columns], movedOn: [...movedOn] };
  },
});

/** Writes what was decided into the table. Asks nothing. */
export const writeReview = defineJob({
  name: "writeReview",
  summary: "Writes what was decided, and what a random check released, into the table; asks nothing.",
  input: z.strictObject({ plan: z.string(), inPlace: z.boolean().optional() }),
  report: z.object({
    plan: z.string(),
    target: z.string(),
    written: z.boolean(),
    newEdits: count,
    released: count,
    /** What the plan's rules did; the steps that they ask for wait for the next fill. */
    afterwards: followedShape.optional(),
  }),
  async run(project, { plan, inPlace = false }, { signal }) {
    const { setup } = await project.fillSetup(plan, { asks: false, inPlace });
    await beginRules(setup);
    const { written, edits, released } = await writeDecided(setup);
    const afterwards = await followPlan(project, setup, { run: "review", signal });
    // Steps that waited for the decision can go on.
    if (setup.plan.watch && (edits > 0 || written)) await wishRound(project, setup.plan.name, "any");
    return {
      plan: setup.plan.name,
      target: setup.table.target,
      written,
      newEdits: edits,
      released,
      ...(afterwards ? { afterwards } : {}),
    };
  },
});

/** Draws rows at random to find how many cells are wrong. */
export const drawCheck = defineJob({
  name: "drawCheck",
  summary: "Draws rows at random, of all that one version and one model answered, to find how many cells are wrong.",
  input: z.strictObject({
    plan: z.string(),
    step: z.string().optional(),
    /** Default: the plan's `spotCheck`, else 40 and 1. */
    rows: z.int().min(1).max(10_000).optional(),
    seed: z.int().optional(),
    by,
  }),
  report: z.object({
    plan: z.string(),
    check: z.string(),
    step: z.string(),
    version: z.int(),
    model: z.string(),
    population: count,
    rows: count,
    /** Rows that the plan's `release` needs without any wrong one; more than were asked for, where that is so. */
    needed: count.nullable(),
  }),
  async run(project, { plan, ...options }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const check = await draw(setup, options);
    const wanted = options.rows ?? setup.plan.review?.spotCheck?.rows ?? 40;
    const { columns } = await checkFigures(setup, check);
    const needs = columns.flatMap(({ release }) => (typeof release?.more === "number" ? [release.more] : []));
    return {
      plan: setup.plan.name,
      ...checkTold(check),
      rows: Math.min(wanted, check.population),
      needed: needs.length > 0 ? Math.max(...needs) : null,
    };
  },
});

/** Values that are out of date stand as they are. */
export const letStand = defineJob({
  name: "letStand",
  summary: "Lets values that are out of date stand as they are, until what they rest on changes once more.",
  input: z.strictObject({ plan: z.string(), where: z.string().optional(), only: z.array(z.string()).optional(), by }),
  report: z.object({ plan: z.string(), rows: z.record(z.string(), count) }),
  async run(project, { plan, ...choice }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    return { plan: setup.plan.name, rows: await standing(setup, choice) };
  },
});

/** Puts back what stood before a fill. */
export const undoFill = defineJob({
  name: "undoFill",
  summary: "Puts back what stood before a fill, and writes the table; what a person has changed since stays.",
  input: z.strictObject({
    plan: z.string(),
    /** The run's id, or `last`. */
    run: z.string(),
    inPlace: z.boolean().optional(),
  }),
  report: z.object({
    plan: z.string(),
    target: z.string(),
    run: z.string(),
    /** Step -> how many rows stand as before. */
    rows: z.record(z.string(), count),
    movedOn: count,
    keys: z.array(z.string()),
    written: z.boolean(),
  }),
  async run(project, { plan, run, inPlace = false }) {
    const { setup } = await project.fillSetup(plan, { asks: false, inPlace });
    const { rows, keys, ...undone } = await undoRun(setup, run);
    return { plan: setup.plan.name, target: setup.table.target, ...undone, rows: { ...rows }, keys: [...keys] };
  },
});

import { existsSync } from "node:fs";
import path from "node:path";
import * as z from "zod";
import {
  askSealedAgain,
  DEFAULT_FALSE_ALARM_DAYS,
  DOUBT,
  isYoroshiError,
  keep,
  lastSealedAgain,
  ModelFailure,
  planDrift,
  readKept,
  templateSteps,
  type DayDrift,
  type FillSetup,
  type Plan,
  type SealedAgain,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob, type JobContext } from "./job.js";
import { modelError } from "./known-error.js";
import { count, hostChangeShape } from "./schemas.js";
import { hostChanges } from "./survey-plan.js";

const column = z.object({
  /** `(doubt)` stands for how many answers were in doubt. */
  column: z.string(),
  before: count,
  now: count,
  p: z.number(),
  /** Corrected for the number of columns. */
  adjusted: z.number(),
  isMoved: z.boolean(),
  /** The value whose share moved most. */
  most: z.object({ value: z.string(), before: z.number(), now: z.number() }).optional(),
});

const sealed = z.object({
  step: z.string(),
  template: z.string(),
  model: z.string(),
  at: z.iso.datetime(),
  samples: count,
  changed: count,
  changedThen: count,
  lost: count,
  won: count,
  p: z.object({ changed: z.number(), right: z.number() }),
  verdict: z.enum(["first", "same", "changed"]),
});

const report = z.object({
  plan: z.string(),
  timeZone: z.string(),
  /** Null as long as there are not enough days, or answers, for one. */
  reference: z.object({ from: z.iso.date(), to: z.iso.date(), answers: count }).nullable(),
  /** By chance there is one alarm in so many days. */
  falseAlarmDays: z.int(),
  /** The last days, the newest first. */
  days: z.array(z.object({ day: z.iso.date(), answers: count, columns: z.array(column), moved: z.array(z.string()) })),
  /** The newest day on which something moved that nobody has seen yet. */
  alarm: z.iso.date().nullable(),
  seenUntil: z.iso.date().nullable(),
  sealed: z.array(sealed),
  hosts: z.array(hostChangeShape.extend({ since: z.iso.datetime(), cells: count })),
});

export type DriftReport = z.output<typeof report>;

const DAYS_SHOWN = 30;
const DAY_MS = 86_400_000;
const SEEN = { format: 1, schema: z.object({ until: z.iso.date() }) as never };
const seenName = (plan: string): string => `drift seen:${plan}`;

/** The day of a moment somewhere, ISO 8601. */
export function dayIn(timeZone: string): (at: number) => string {
  const parts = new Intl.DateTimeFormat("en-CA", { timeZone, year: "numeric", month: "2-digit", day: "2-digit" });
  return (at) => parts.format(at);
}

/** Each day's answers of a plan against those of a reference time, and what else tells that a model has become another. */
export const readDrift = defineJob({
  name: "readDrift",
  summary:
    "Holds each day's answers of a plan against those of a reference time, and tells what moved beyond chance; what sealed samples and hosts say. Asks nothing.",
  input: z.strictObject({ plan: z.string() }),
  report,
  async run(project, { plan: name }) {
    const { setup } = await project.fillSetup(name, { asks: false });
    const { plan, ledger } = setup;
    const { timeZone } = project.settings;
    const dayOf = dayIn(timeZone);
    const falseAlarmDays = plan.drift?.falseAlarmDays ?? DEFAULT_FALSE_ALARM_DAYS;
    const { reference, days } = await planDrift(setup, {
      dayOf,
      until: dayOf(project.clock.now() - DAY_MS),
      reference: plan.drift?.reference,
      falseAlarmDays,
    });
    const seenUntil = readKept<{ until: string }>(SEEN, await ledger.facts.get(seenName(plan.name)))?.until ?? null;
    const alarms = days.filter(({ day, moved }) => moved.length > 0 && (seenUntil === null || day > seenUntil));
    return {
      plan: plan.name,
      timeZone,
      reference: reference ?? null,
      falseAlarmDays,
      days: days.slice(-DAYS_SHOWN).reverse().map(shownDay),
      alarm: alarms.at(-1)?.day ?? null,
      seenUntil,
      sealed: await lastSealed(setup),
      hosts: await hostChanges(setup),
    };
  },
});

const shownDay = ({ day, answers, columns, moved }: DayDrift): z.input<typeof report>["days"][number] => ({
  day,
  answers,
  columns: columns.map(({ column: own, before, now, p, adjusted, isMoved, most }) => ({
    column: own,
    before,
    now,
    p,
    adjusted,
    isMoved,
    ...(most ? { most: { ...most } } : {}),
  })),
  moved: [...moved],
});

/** The steps of a plan that ask a template, each template once. */
function askingSteps({ plan, asking }: FillSetup): { readonly name: string; readonly template: string }[] {
  const seen = new Set<string>();
  return templateSteps(plan).flatMap(({ name, step }) => {
    const id = `${step.template} ${asking[name]!.model.id}`;
    if (step.inquire || seen.has(id)) return [];
    seen.add(id);
    return [{ name, template: step.template }];
  });
}

async function lastSealed(setup: FillSetup): Promise<DriftReport["sealed"]> {
  const found: DriftReport["sealed"] = [];
  for (const { name, template } of askingSteps(setup)) {
    const last = await lastSealedAgain({ ...setup.asking[name]!, ledger: setup.ledger });
    if (last) found.push(shownSealed(name, template, setup.asking[name]!.model.id, last));
  }
  return found;
}

const shownSealed = (step: string, template: string, model: string, { at, p, ...again }: SealedAgain): DriftReport["sealed"][number] => ({
  step,
  template,
  model,
  at: new Date(at).toISOString(),
  ...again,
  p: { ...p },
});

/** How often asking sealed samples again may cry wolf, as a share of the times: as rarely as the days do. */
const alphaOf = ({ drift }: Plan): number =>
  Math.min(0.05, Math.max(1, drift?.sealedDays ?? 1) / (drift?.falseAlarmDays ?? DEFAULT_FALSE_ALARM_DAYS));

/** Sealed samples, asked again. */
export const askSealed = defineJob({
  name: "askSealed",
  summary:
    "Asks the sealed samples of a plan's templates again, and tells whether the answers have changed beyond what the model changes by itself; no look at the seal.",
  input: z.strictObject({ plan: z.string() }),
  report: z.object({ plan: z.string(), sealed: z.array(sealed), without: z.array(z.string()) }),
  async run(project, { plan: name }, { signal }) {
    const { setup } = await project.fillSetup(name, { asks: true });
    const found: DriftReport["sealed"] = [];
    const without: string[] = [];
    for (const { name: step, template } of askingSteps(setup)) {
      const asking = setup.asking[step]!;
      const isThere = existsSync(path.resolve(project.root, project.samplesFile(template, undefined)));
      const samples = isThere ? await project.samples(asking.prepared, undefined) : undefined;
      if (!samples?.samples.some((sample) => sample.sealed)) {
        without.push(template);
        continue;
      }
      const { ledger, clock, monthlyCap, plan } = setup;
      const again = await askSealedAgain({ ...asking, samples, ledger, clock, monthlyCap }, { alpha: alphaOf(plan), signal }).catch(
        (error: unknown) => {
          throw error instanceof ModelFailure ? modelError(error, asking.model.host) : error;
        },
      );
      found.push(shownSealed(step, template, asking.model.id, again));
    }
    return { plan: setup.plan.name, sealed: found, without };
  },
});

/** Somebody has looked at what moved: a plan that holds goes on. */
export const seeDrift = defineJob({
  name: "seeDrift",
  summary: "Notes that a person has looked at what has moved until now; a watched plan that holds because of it goes on.",
  input: z.strictObject({ plan: z.string() }),
  report: z.object({ plan: z.string(), seenUntil: z.iso.date() }),
  async run(project, { plan: name }) {
    const plan = await project.plan(name);
    const until = dayIn(project.settings.timeZone)(project.clock.now() - DAY_MS);
    await project.ledger().facts.set(seenName(plan.name), keep(SEEN, { until }));
    return { plan: plan.name, seenUntil: until };
  },
});

/** What is to be told of a plan that drifts, in words; `undefined` where nothing moved that nobody has seen. */
export function driftTold({ alarm, days, falseAlarmDays }: DriftReport): string | undefined {
  const day = days.find((one) => one.day === alarm);
  if (!day) return undefined;
  const told = day.columns
    .filter(({ isMoved }) => isMoved)
    .map(({ column: own, most }) => {
      const shares = most ? ` (${most.value || "blank"}: ${percent(most.before)} before, ${percent(most.now)} now)` : "";
      return own === DOUBT ? `more answers in doubt${shares}` : `\`${own}\`${shares}`;
    });
  return `Answers of ${day.day} are not as those of the reference: ${told.join("; ")}. By chance that happens on one day in ${falseAlarmDays}.`;
}

const percent = (share: number): string => `${(100 * share).toFixed(1)} %`;

/** What a watched plan is told once a day: what moved yesterday, what sealed samples say. */
export async function lookForDrift(project: Project, plan: Plan, context: JobContext): Promise<string[]> {
  const told: string[] = [];
  const every = plan.drift?.sealedDays;
  if (every !== undefined) {
    const { setup } = await project.fillSetup(plan.name, { asks: false });
    const last = (await lastSealed(setup)).map(({ at }) => Date.parse(at));
    if (last.length === 0 || Math.min(...last) <= project.clock.now() - every * DAY_MS + DAY_MS / 2) {
      // A host that is away is no reason to leave the days unread; the samples are asked tomorrow.
      const { sealed: again } = await askSealed.run(project, { plan: plan.name }, context).catch((error: unknown) => {
        if (!isYoroshiError(error)) throw error;
        told.push(`The sealed samples could not be asked again: ${error.message}`);
        return { sealed: [] };
      });
      for (const { template, model, verdict, changed, samples, lost } of again)
        if (verdict === "changed")
          told.push(
            `${model} answers sealed samples of ${template} otherwise than at first: ${changed} of ${samples}, ${lost} no longer right. The model is not what it was.`,
          );
    }
  }
  const drift = await readDrift.run(project, { plan: plan.name }, context);
  const moved = driftTold(drift);
  if (moved !== undefined) {
    await project.ledger().facts.set(alarmName(plan.name), { day: drift.alarm!, text: moved });
    told.push(moved);
  }
  return told;
}

/** Whether a watched plan asks nothing until somebody has looked. */
export async function holdsForDrift(project: Project, plan: Plan): Promise<string | undefined> {
  if (plan.drift?.then !== "hold") return undefined;
  const told = await project.ledger().facts.get(alarmName(plan.name));
  if (told === undefined || told === null) return undefined;
  const { day, text } = told as { day: string; text: string };
  const seen = readKept<{ until: string }>(SEEN, await project.ledger().facts.get(seenName(plan.name)))?.until;
  return seen !== undefined && seen >= day ? undefined : text;
}

const alarmName = (plan: string): string => `drift alarm:${plan}`;

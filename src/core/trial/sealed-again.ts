import * as z from "zod/mini";
import { modelsAsked, openAsking, readyAsking } from "../asking/index.js";
import {
  canonicalJson,
  keep,
  plainJson,
  readKept,
  sha256Hex,
  YoroshiError,
  type CancelSignal,
  type Json,
  type StoredForm,
} from "../ground/index.js";
import { fisherExact, holm, mcnemarExact } from "../statistics/index.js";
import { partAt } from "../template/index.js";
import { grade, valueAt } from "./grade.js";
import type { TrialSetup } from "./trial.js";

/** One time that the sealed samples were asked: what was answered, and whether it was right, by the sample's id. */
interface Time {
  readonly at: number;
  /** A hash of the parts that can be right or wrong. */
  readonly answers: Readonly<Record<string, string>>;
  readonly right: Readonly<Record<string, boolean>>;
}

/** How sealed samples were answered when they were asked again. */
export interface SealedAgain {
  readonly at: number;
  readonly samples: number;
  /** Samples whose answer is another than the first time; and how many were when they were asked twice at once, then. */
  readonly changed: number;
  readonly changedThen: number;
  /** Samples that were right the first time and are wrong now, and the other way round. */
  readonly lost: number;
  readonly won: number;
  /** Whether more changed than a steady model changes by itself; whether it became right or wrong more often. Corrected for both tests. */
  readonly p: { readonly changed: number; readonly right: number };
  /** `first`: these answers are what later ones are held against. */
  readonly verdict: "first" | "same" | "changed";
}

const TIMES: StoredForm<{ readonly of: string; readonly first: Time; readonly twin: Time; readonly last?: SealedAgain | undefined }> = {
  format: 1,
  schema: z.object({ of: z.string(), first: z.any(), twin: z.any(), last: z.optional(z.any()) }),
};

const noteName = ({ prepared, model }: Pick<TrialSetup, "prepared" | "model">): string =>
  `sealed again:${prepared.template.name}:${model.host} ${model.id}`;

/** What came of it the last time; `undefined` where sealed samples were not asked so yet. */
export async function lastSealedAgain(setup: Pick<TrialSetup, "prepared" | "model" | "ledger">): Promise<SealedAgain | undefined> {
  return readKept(TIMES, await setup.ledger.facts.get(noteName(setup)))?.last;
}

/**
 * Asks the sealed samples of a template again, so that it is noticed when a host has put another model behind a name. These asks are no
 * looks at the seal: nothing is told of single samples, and nobody can choose by them. The first time, and after the template or the
 * samples have changed, they are asked twice, to learn how often the same model answers differently by itself; later answers are held
 * against the first: by Fisher's exact test (1935) of how many changed, and McNemar's (1947) of how many are right, corrected after Holm.
 *
 * @param options.alpha how often it may cry wolf, as a share of the times that it is asked.
 * @throws YoroshiError `samplesUnfit` where no sample is sealed; ModelFailure, BudgetSpent.
 */
export async function askSealedAgain(
  setup: TrialSetup,
  options: { readonly alpha: number; readonly spendCap?: number | undefined; readonly signal?: CancelSignal | undefined },
): Promise<SealedAgain> {
  const { prepared, ledger, clock, samples } = setup;
  const sealed = samples.samples.filter((sample) => sample.sealed);
  if (sealed.length === 0)
    throw new YoroshiError("samplesUnfit", { file: samples.file, problem: "no row of it is sealed. Seal some: `yoroshi samples seal`." });
  const run = `again-${clock.now().toString(36)}-${Math.floor(clock.random() * 0xffffff).toString(36)}`;
  await ledger.runs.start({ id: run, kind: "try", subject: prepared.template.name, startedAt: clock.now() });
  const asking = openAsking({
    ledger,
    clock,
    run,
    models: modelsAsked([setup]),
    spendCap: options.spendCap,
    monthlyCap: setup.monthlyCap,
    drop: options.signal,
  });
  const shapes = samples.graded.flatMap((name) => partAt(prepared.parts, name) ?? []).filter(({ kind }) => kind.isProse !== true);
  const about = readyAsking(setup);
  let [spent, end] = [0, "failed"];
  const ask = async (time: number): Promise<Time> => {
    const questions = sealed.map(({ inputs }, index) => ({
      asking: about,
      inputs,
      // Kept apart: they take no other answer's place.
      fingerprint: sha256Hex(`${about.fingerprint(inputs)} again ${run} ${time}`),
      index,
    }));
    const answers: (Readonly<Record<string, Json>> | undefined)[] = [];
    for await (const { question, answer } of asking.answers(questions)) {
      answers[question.index] = answer.state === "answered" ? answer.parts : undefined;
      spent += answer.spent;
    }
    const graded = answers.map((parts) => (parts ? { parts } : { reason: "" }));
    const { parts } = grade(
      prepared,
      shapes.map(({ name }) => name),
      sealed,
      graded,
      { resamples: 0 },
    );
    const hashOf = (given: Readonly<Record<string, Json>> | undefined): string =>
      given ? sha256Hex(canonicalJson(shapes.map(({ name }) => valueAt(given, name) ?? null))).slice(0, 16) : "";
    return {
      at: clock.now(),
      answers: Object.fromEntries(sealed.map(({ id }, index) => [id, hashOf(answers[index])])),
      right: Object.fromEntries(sealed.map(({ id }) => [id, parts.every(({ verdicts }) => verdicts[id] !== false)])),
    };
  };
  try {
    const of = sha256Hex(canonicalJson([about.fingerprint({}), sealed.map(({ id, inputs }) => [id, inputs])] as Json));
    const kept = readKept(TIMES, await ledger.facts.get(noteName(setup)));
    const told = kept?.of === of ? heldAgainst(kept.first, kept.twin, await ask(0), options.alpha) : undefined;
    const first = told ? kept!.first : await ask(0);
    const twin = told ? kept!.twin : await ask(1);
    const last: SealedAgain = told ?? { ...differences(first, first, twin), verdict: "first" };
    await ledger.facts.set(noteName(setup), keep(TIMES, plainJson({ of, first, twin, last }) as never));
    end = "done";
    return last;
  } finally {
    await asking.close();
    await ledger.runs.end({ id: run, endedAt: clock.now(), end, tally: { asked: sealed.length, spent } });
  }
}

function differences(first: Time, now: Time, twin: Time): Omit<SealedAgain, "verdict"> {
  const ids = Object.keys(first.answers);
  const count = (is: (id: string) => boolean): number => ids.filter(is).length;
  const [changed, changedThen] = [now, twin].map((time) => count((id) => time.answers[id] !== first.answers[id])) as [number, number];
  const lost = count((id) => first.right[id] === true && now.right[id] === false);
  const won = count((id) => first.right[id] === false && now.right[id] === true);
  // A model may well be steadier than when it was first asked: only more changes count.
  const more = changed > changedThen ? fisherExact(changed, ids.length, changedThen, ids.length) : 1;
  const [p = 1, right = 1] = holm([more, mcnemarExact(won, lost)]);
  return { at: now.at, samples: ids.length, changed, changedThen, lost, won, p: { changed: p, right } };
}

function heldAgainst(first: Time, twin: Time, now: Time, alpha: number): SealedAgain {
  const told = differences(first, now, twin);
  return { ...told, verdict: Math.min(told.p.changed, told.p.right) < alpha ? "changed" : "same" };
}

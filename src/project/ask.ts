import { askPrepared, chargesOf, fingerprinter, layered, recallFrom, type Answer, type Clock, type Json, type Ledger, type Model, type Prepared, type VersionRecord } from "../core/index.js";
import type { LoadedTemplate, TemplateModels } from "./loaded.js";

/** What of a project asking needs. */
interface Asker {
  readonly clock: Clock;
  ledger(): Ledger;
  version(loaded: LoadedTemplate): Promise<VersionRecord>;
}

/** Asks a template about one set of inputs through the project's models and ledger; a known answer is not asked again. */
export async function askLoaded(project: Asker, loaded: LoadedTemplate, prepared: Prepared, { model, others }: TemplateModels, inputs: Readonly<Record<string, Json>>, fresh: boolean): Promise<{ answer: Answer; known: boolean }> {
  const ledger = project.ledger();
  const { clock } = project;
  const fingerprint = fingerprinter(prepared, model, undefined, others)(inputs);
  const [record] = await ledger.answers.find([fingerprint]);
  if (record && !fresh) return { answer: record.answer, known: true };
  const { version } = await project.version(loaded);
  const run = `try-${clock.now().toString(36)}-${Math.floor(clock.random() * 0xffffff).toString(36)}`;
  await ledger.runs.start({ id: run, kind: "try", subject: loaded.template.name, startedAt: clock.now() });
  const layer = (one: Model): Model => layered(one, clock);
  const dearer = Object.fromEntries(Object.entries(others).map(([name, one]) => [name, layer(one)]));
  const recall = recallFrom(ledger, { model: model.id, run, now: () => clock.now() });
  const answer = await askPrepared(prepared, inputs, { model: layer(model), others: dearer, recall, clock });
  if (answer.state !== "failed") await ledger.record({ answers: [{ fingerprint, template: loaded.template.name, version, model: model.id, run, at: clock.now(), answer }], charges: chargesOf(answer, { run, model: model.id, at: clock.now() }), replace: fresh });
  await ledger.runs.end({ id: run, endedAt: clock.now(), end: "done", tally: { asked: 1, spent: answer.spent } });
  return { answer, known: false };
}

import { quotableOf, type Considered, type StepWork } from "../cells/index.js";
import type { Ledger } from "../ledger/index.js";
import { around, type Around, type Evidence } from "../sources/index.js";
import { shownCell } from "../table/index.js";
import { figuresOfEvidence, type EvidenceFigures } from "../trial/index.js";

type Found = Extract<Evidence, { quote: string }>;

/** The words that carry a row's value; with what stands around them, where the row still says so. */
export interface EvidencePassage extends Partial<Around> {
  readonly key: string;
  readonly value: string;
  readonly evidence: Found;
}

/** How the words were found that carry a part of a step's answers, with some of them. */
export interface EvidenceReport extends EvidenceFigures {
  readonly step: string;
  readonly passages: readonly EvidencePassage[];
}

/** So many passages of a part are shown, each of another value as far as there are some. */
const MOST_PASSAGES = 6;

interface Shown {
  readonly one: StepWork;
  readonly considered: Considered;
  readonly value: string;
  readonly evidence: Found;
}

interface PartTally {
  readonly step: string;
  readonly part: string;
  readonly found: Evidence["found"][];
  /** Of each value the first. */
  readonly shown: Map<string, Shown>;
  readonly further: Shown[];
}

/** Counts the evidence of answers that rows rest on, while rows go by. */
export class EvidenceTally {
  readonly #parts = new Map<string, PartTally>();

  constructor(readonly answers: Ledger["answers"]) {}

  async add(one: StepWork, rows: readonly Considered[]): Promise<void> {
    if (one.does.kind !== "ask") return;
    const demanding = one.does.prepared.parts.filter(({ spec }) => spec.evidence);
    if (demanding.length === 0) return;
    const known = rows.filter(({ record }) => record?.fingerprint !== undefined);
    const answers = await this.answers.find(known.map(({ record }) => record!.fingerprint!));
    for (const { name } of demanding) {
      const id = JSON.stringify([one.name, name]);
      let tally = this.#parts.get(id);
      if (!tally) this.#parts.set(id, (tally = { step: one.name, part: name, found: [], shown: new Map(), further: [] }));
      for (const [index, considered] of known.entries()) {
        const given = answers[index]?.answer;
        const evidence = given?.evidence?.[name];
        if (!evidence) continue;
        tally.found.push(evidence.found);
        if (evidence.found === "never") continue;
        const value = given?.state === "answered" ? shownCell(given.parts[name] as Parameters<typeof shownCell>[0]) : "";
        const shown: Shown = { one, considered, value, evidence };
        if (!tally.shown.has(value) && tally.shown.size < MOST_PASSAGES) tally.shown.set(value, shown);
        else if (tally.further.length < MOST_PASSAGES) tally.further.push(shown);
      }
    }
  }

  async report(): Promise<EvidenceReport[]> {
    const told: EvidenceReport[] = [];
    for (const { step, part, found, shown, further } of this.#parts.values()) {
      const passages: EvidencePassage[] = [];
      for (const { one, considered, value, evidence } of [...shown.values(), ...further].slice(0, MOST_PASSAGES)) {
        const inputs = await quotableOf(one, considered.passed);
        passages.push({ key: considered.passed.row.key, value, evidence, ...(inputs ? around(evidence, inputs) : {}) });
      }
      told.push({ step, ...figuresOfEvidence(part, found), passages });
    }
    return told;
  }
}

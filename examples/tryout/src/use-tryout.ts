import { useEffect, useMemo, useState } from "react";
import {
  ask,
  prepare,
  readInputs,
  readTemplate,
  runValues,
  systemClock,
  type Answer,
  type Complaint,
  type Message,
  type Prepared,
  type Template,
  sentenceOf,
} from "yoroshi";
import { standin } from "yoroshi/standin";

export interface Tried {
  readonly prompt: readonly Message[];
  /** `undefined` when an input is missing and nothing was asked. */
  readonly answer: Answer | undefined;
  readonly notAsked: string | undefined;
}

export interface Tryout {
  readonly template: Template | undefined;
  readonly prepared: Prepared | undefined;
  readonly complaints: readonly Complaint[];
  readonly values: Readonly<Record<string, string>>;
  readonly prompt: readonly Message[];
  readonly tried: Tried | undefined;
  readonly asking: boolean;
  setValue(input: string, value: string): void;
  ask(): void;
}

const clock = systemClock();
const model = standin({ clock, latencyMs: 250, price: { input: 0.15, output: 0.6 } });

/** Everything the page knows: the template as it is typed, its inputs, its prompt, and the last answer. */
export function useTryout(source: string): Tryout {
  const { template, complaints } = useMemo(() => readTemplate(source, "template.yaml"), [source]);
  const prepared = useMemo(
    () =>
      template && Object.keys(template.references ?? {}).length + (template.background?.length ?? 0) === 0
        ? prepare(template, {}, { run: runValues(Date.now(), Intl.DateTimeFormat().resolvedOptions().timeZone) })
        : undefined,
    [template],
  );
  const [edited, setEdited] = useState<Record<string, string>>({});
  const [tried, setTried] = useState<Tried>();
  const [asking, setAsking] = useState(false);

  const name = template?.name;
  useEffect(() => {
    setEdited({});
    setTried(undefined);
  }, [name]);

  const values = Object.fromEntries(
    Object.entries(template?.inputs ?? {}).map(([input, spec]) => [input, edited[input] ?? String(spec.sample ?? "")]),
  );
  const reading = prepared ? readInputs(prepared, values) : undefined;
  const prompt = prepared && reading?.state === "ready" ? prepared.render(reading.inputs) : [];

  return {
    template,
    prepared,
    complaints,
    values,
    prompt,
    tried,
    asking,
    setValue: (input, value) => setEdited((before) => ({ ...before, [input]: value })),
    ask: () => {
      if (!prepared || !reading) return;
      if (reading.state !== "ready") return setTried({ prompt: [], answer: undefined, notAsked: sentenceOf(reading.reason) });
      setAsking(true);
      void ask(prepared, reading.inputs, { model, clock })
        .then((answer) => setTried({ prompt, answer, notAsked: undefined }))
        .finally(() => setAsking(false));
    },
  };
}

import { complain, nearest, readExpression, type Complaint, type SourceDocument } from "../ground/index.js";
import { FOUND, kindOf, referencesIn, shapeSpec, specsInside, specsWithin, type DateSpec } from "../kinds/index.js";
import { EVIDENCE_PATHS, partsWithoutWords } from "./evidence.js";
import { isLookedUpBy } from "./errands.js";
import { parseErrand, parseText } from "./liquid.js";
import { RUN_NAMES } from "./run-values.js";
import { ruleFault } from "./rules.js";
import { CONFIDENCE, type Template } from "./template.js";

const NAME = /^[\p{L}_][\p{L}\p{N}_]*$/u;

/** What is wrong between the parts of a template whose parts are each right by themselves. */
export function checkTemplate(template: Template, document: SourceDocument): Complaint[] {
  return [
    ...checkNames(template, document),
    ...checkTask(template, document),
    ...checkReferences(template, document),
    ...checkDates(template, document),
    ...checkEvidence(template, document),
    ...checkLegwork(template, document),
    ...checkMissing(template, document),
    ...checkLong(template, document),
    ...checkDoubt(template, document),
    ...checkRules(template, document),
    ...checkExamples(template, document),
  ];
}

function checkNames(template: Template, document: SourceDocument): Complaint[] {
  const found: Complaint[] = [];
  for (const where of ["inputs", "answer", "references", "passages"] as const) {
    for (const name of Object.keys(template[where] ?? {}))
      if (!NAME.test(name)) found.push(complain("badName", document.atKey([where, name]), { name }));
  }
  if (Object.keys(template.answer).length === 0) found.push(complain("noParts", document.atKey(["answer"]), undefined as never));
  return found;
}

function checkTask(template: Template, document: SourceDocument): Complaint[] {
  const found: Complaint[] = [];
  const inputs = Object.keys(template.inputs);
  const others = [
    ...Object.keys(template.references ?? {}),
    ...Object.keys(template.passages ?? {}),
    ...RUN_NAMES,
    ...(template.legwork ? [FOUND] : []),
  ];
  const used = new Set<string>();
  for (const key of ["role", "task"] as const) {
    const source = template[key];
    if (source === undefined) continue;
    const { text, problem } = parseText(source);
    if (problem) found.push(complain("taskSyntax", document.within([key], problem.line, problem.column), { problem: problem.problem }));
    for (const { name, line, column } of text?.uses ?? []) {
      used.add(name);
      if (inputs.includes(name) || others.includes(name)) continue;
      found.push(complain("unknownInput", document.within([key], line, column), { name, known: inputs, near: nearest(name, inputs) }));
    }
    if (problem) return found;
  }
  // A passage may use inputs, too; what its file says is checked where it is read.
  if (template.passages) return found;
  for (const name of inputs)
    if (!used.has(name) && !isCountedFrom(template, name) && !isLookedUpBy(template, name))
      found.push(complain("unusedInput", document.atKey(["inputs", name]), { name }));
  return found;
}

function checkReferences(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.references ?? {});
  const specs = [
    ...Object.entries(template.inputs).map(([name, spec]) => ["inputs", name, spec] as const),
    ...Object.entries(template.answer).map(([name, spec]) => ["answer", name, spec] as const),
  ];
  return specs.flatMap(([where, part, spec]) =>
    referencesIn(spec, [where, part])
      .filter(({ name }) => !known.includes(name))
      .map(({ name, path }) => complain("unknownReference", document.at(path), { name, known, near: nearest(name, known) })),
  );
}

/** Whether a date of the answer is counted from an input, which then need not be printed. */
function isCountedFrom(template: Template, input: string): boolean {
  return Object.values(template.answer).some((spec) =>
    specsWithin(spec).some((inner) => (inner.spec as DateSpec).relativeTo?.split(".")[0] === input),
  );
}

function checkDates(template: Template, document: SourceDocument): Complaint[] {
  const dates = Object.entries(template.inputs).flatMap(([name, spec]) =>
    specsWithin(spec, [name])
      .filter((inner) => kindOf(inner.spec.kind).control === "day")
      .map(({ path }) => path.filter((part) => part !== "columns").join(".")),
  );
  return (["inputs", "answer"] as const).flatMap((where) =>
    Object.entries(template[where]).flatMap(([name, spec]) =>
      specsWithin(spec, [where, name]).flatMap((inner) => {
        const { relativeTo } = inner.spec as DateSpec;
        if (relativeTo === undefined || relativeTo === "today" || (where === "answer" && dates.includes(relativeTo))) return [];
        const known = ["today", ...(where === "answer" ? dates : [])];
        return [
          complain("badValue", document.at([...inner.path, "relativeTo"]), {
            problem: `A day can be counted from ${known.map((base) => `\`${base}\``).join(" or ")}, not from \`${relativeTo}\`.`,
          }),
        ];
      }),
    ),
  );
}

/** What is looked up uses the template's inputs, and answers have to point at what was found. */
function checkLegwork({ legwork, inputs, answer }: Template, document: SourceDocument): Complaint[] {
  if (!legwork) return [];
  const odd = (problem: string, ...path: (string | number)[]): Complaint =>
    complain("badValue", document.at(["legwork", ...path]), { problem });
  const known = Object.keys(inputs);
  return [
    ...(legwork.search || legwork.read
      ? []
      : [odd('Say what is looked up: `search: ["{{ name }} opening hours"]`, or `read: ["{{ site }}"]`.')]),
    ...(["search", "read"] as const).flatMap((key) =>
      (legwork[key] ?? []).flatMap((source, index) => {
        const { uses = [], problem } = parseErrand(source);
        if (problem !== undefined) return [complain("taskSyntax", document.at(["legwork", key, index]), { problem })];
        return uses
          .filter((name) => !known.includes(name))
          .map((name) => complain("unknownInput", document.at(["legwork", key, index]), { name, known, near: nearest(name, known) }));
      }),
    ),
    ...(FOUND in inputs
      ? [
          complain("badValue", document.atKey(["inputs", FOUND]), {
            problem: `\`${FOUND}\` is what was looked up; call the input otherwise.`,
          }),
        ]
      : []),
    ...(Object.values(answer).some(({ evidence }) => evidence?.in.includes(FOUND))
      ? []
      : [odd(`What was looked up has to be pointed at: give a part \`evidence: { in: [${FOUND}] }\`.`)]),
  ];
}

function checkEvidence({ inputs, answer, legwork }: Template, document: SourceDocument): Complaint[] {
  const known = [...Object.keys(inputs), ...(legwork ? [FOUND] : [])];
  return Object.entries(answer).flatMap(([name, spec]) => [
    ...(spec.evidence?.in ?? []).flatMap((input, index) =>
      known.includes(input)
        ? []
        : [
            complain("badValue", document.at(["answer", name, "evidence", "in", index]), {
              problem: `There is no input \`${input}\`. Inputs: ${known.join(", ")}.`,
            }),
          ],
    ),
    ...(spec.evidence?.in ?? []).flatMap((input, index) =>
      inputs[input] && kindOf(inputs[input].kind).source === "image"
        ? [
            complain("badValue", document.at(["answer", name, "evidence", "in", index]), {
              problem: `\`${input}\` is a picture, in which no words can be looked for.`,
            }),
          ]
        : [],
    ),
    ...specsWithin(spec, ["answer", name])
      .filter((inner) => inner.path.length > 2 && inner.spec.evidence)
      .map(({ path }) =>
        complain("badValue", document.atKey([...path, "evidence"]), {
          problem: `Evidence is demanded of a whole part of the answer: write it at \`${name}\`.`,
        }),
      ),
    ...(spec.evidence ? specsInside(spec) : [])
      .filter(({ path }) => path[0] === "parts" && (EVIDENCE_PATHS as readonly string[]).includes(path[1]!))
      .map(({ path }) =>
        complain("badValue", document.atKey(["answer", name, ...path]), {
          problem: `\`${name}.${path[1]}\` is what a column takes of the evidence; call the record's own part otherwise.`,
        }),
      ),
  ]);
}

function checkLong(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.inputs);
  return Object.keys(template.whenLong ?? {}).flatMap((name) => {
    const spec = template.inputs[name] as { kind: string; maxChars?: number } | undefined;
    if (!spec) return [complain("unknownKey", document.atKey(["whenLong", name]), { key: name, known, near: nearest(name, known) })];
    if (kindOf(spec.kind).isProse && spec.maxChars !== undefined) return [];
    return [
      complain("badValue", document.at(["whenLong", name]), {
        problem: `\`${name}\` has no limit to be above. Give it one: \`${name}: { kind: text, maxChars: 6000 }\`.`,
      }),
    ];
  });
}

function checkDoubt({ doubt, answer }: Template, document: SourceDocument): Complaint[] {
  if (!doubt) return [];
  const known = Object.keys(answer);
  const found = (doubt.parts ?? []).flatMap((name, index) =>
    known.includes(name)
      ? []
      : [complain("unknownPart", document.at(["doubt", "parts", index]), { name, known, near: nearest(name, known) })],
  );
  const odd = (problem: string): void => void found.push(complain("badValue", document.at(["doubt"]), { problem }));
  if ((doubt.below === undefined) !== (doubt.ask === undefined))
    odd("`below` and `ask` belong together: below which confidence which model is asked.");
  if (doubt.by !== "agreement" && (doubt.asks !== undefined || doubt.temperature !== undefined))
    odd("`asks` and `temperature` are for `by: agreement`.");
  if (CONFIDENCE in answer) odd("A part is called `confidence`, which is how the answer's own confidence is called. Rename the part.");
  return found;
}

function checkMissing(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.inputs);
  return Object.entries(template.whenMissing ?? {}).flatMap(([name, way]) => {
    const spec = template.inputs[name];
    if (!spec) return [complain("unknownKey", document.atKey(["whenMissing", name]), { key: name, known, near: nearest(name, known) })];
    if (typeof way !== "object" || !("use" in way)) return [];
    const reading = shapeSpec(spec, kindOf).read(way.use);
    return reading.ok
      ? []
      : [
          complain("badValue", document.at(["whenMissing", name, "use"]), {
            problem: `The value to use for \`${name}\` does not fit: ${reading.problem}.`,
          }),
        ];
  });
}

function checkRules(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.answer);
  const inputs = Object.keys(template.inputs);
  return (template.rules ?? []).flatMap((rule, index) => {
    const at = document.at(["rules", index]);
    const fault = ruleFault(rule);
    const named = [
      ...(rule.in ?? []),
      ...(rule.check === undefined ? [] : (readExpression(rule.check, "answer").expression?.members ?? [])),
    ];
    const unknown = named.filter((name) => !known.includes(name));
    return [
      ...(fault === undefined ? [] : [complain("badValue", at, { problem: fault })]),
      ...unknown.map((name) => complain("unknownPart", at, { name, known, near: nearest(name, known) })),
      ...(Array.isArray(rule.numbersFrom) ? rule.numbersFrom : [])
        .filter((name: string) => !inputs.includes(name))
        .map((name: string) => complain("unknownInput", at, { name, known: inputs, near: nearest(name, inputs) })),
    ];
  });
}

function checkExamples(template: Template, document: SourceDocument): Complaint[] {
  const parts = Object.keys(template.answer);
  const inputs = Object.keys(template.inputs);
  if (template.examples && "from" in template.examples) {
    const { balance } = template.examples;
    return balance === undefined || parts.includes(balance)
      ? []
      : [complain("unknownPart", document.at(["examples", "balance"]), { name: balance, known: parts, near: nearest(balance, parts) })];
  }
  const demanding = parts.filter((name) => template.answer[name]!.evidence);
  return (template.examples ?? []).flatMap((example, index) => {
    const at = ["examples", index] as const;
    const found: Complaint[] = [];
    for (const name of Object.keys(example.inputs)) {
      if (!inputs.includes(name))
        found.push(
          complain("unknownKey", document.atKey([...at, "inputs", name]), { key: name, known: inputs, near: nearest(name, inputs) }),
        );
    }
    for (const name of Object.keys(example.answer)) {
      if (!parts.includes(name))
        found.push(complain("unknownPart", document.atKey([...at, "answer", name]), { name, known: parts, near: nearest(name, parts) }));
    }
    for (const part of parts) {
      const spec = template.answer[part]!;
      if (!(part in example.answer)) found.push(complain("missingKey", document.at([...at, "answer"]), { key: part }));
      else if (referencesIn(spec).length === 0) {
        const reading = shapeSpec(spec, kindOf).read(example.answer[part]);
        if (!reading.ok) found.push(complain("badExample", document.at([...at, "answer", part]), { part, problem: reading.problem }));
      }
    }
    for (const name of Object.keys(example.evidence ?? {})) {
      if (!template.answer[name]?.evidence)
        found.push(
          complain("unknownPart", document.atKey([...at, "evidence", name]), { name, known: demanding, near: nearest(name, demanding) }),
        );
    }
    for (const part of partsWithoutWords(template.answer, example))
      found.push(
        complain("badExample", document.at([...at, "answer", part]), {
          part,
          problem: `it needs the words that carry it: \`evidence: { ${part}: "…" }\` beside \`answer\``,
        }),
      );
    return found;
  });
}

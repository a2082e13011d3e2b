import { complain, nearest, readExpression, type Complaint, type SourceDocument } from "../ground/index.js";
import { kindOf, referencesIn, shapeSpec } from "../kinds/index.js";
import { parseText } from "./liquid.js";
import { RUN_NAMES } from "./run-values.js";
import { ruleFault } from "./rules.js";
import type { Template } from "./template.js";

const NAME = /^[\p{L}_][\p{L}\p{N}_]*$/u;

/** What is wrong between the parts of a template whose parts are each right by themselves. */
export function checkTemplate(template: Template, document: SourceDocument): Complaint[] {
  return [
    ...checkNames(template, document),
    ...checkTask(template, document),
    ...checkReferences(template, document),
    ...checkMissing(template, document),
    ...checkRules(template, document),
    ...checkExamples(template, document),
  ];
}

function checkNames(template: Template, document: SourceDocument): Complaint[] {
  const found: Complaint[] = [];
  for (const where of ["inputs", "answer", "references"] as const) {
    for (const name of Object.keys(template[where] ?? {})) if (!NAME.test(name)) found.push(complain("badName", document.atKey([where, name]), { name }));
  }
  if (Object.keys(template.answer).length === 0) found.push(complain("noParts", document.atKey(["answer"]), undefined as never));
  return found;
}

function checkTask(template: Template, document: SourceDocument): Complaint[] {
  const found: Complaint[] = [];
  const inputs = Object.keys(template.inputs);
  const references = Object.keys(template.references ?? {});
  const used = new Set<string>();
  for (const key of ["role", "task"] as const) {
    const source = template[key];
    if (source === undefined) continue;
    const { text, problem } = parseText(source);
    if (problem) found.push(complain("taskSyntax", document.within([key], problem.line, problem.column), { problem: problem.problem }));
    for (const { name, line, column } of text?.uses ?? []) {
      used.add(name);
      if (inputs.includes(name) || references.includes(name) || (RUN_NAMES as readonly string[]).includes(name)) continue;
      found.push(complain("unknownInput", document.within([key], line, column), { name, known: inputs, near: nearest(name, inputs) }));
    }
    if (problem) return found;
  }
  for (const name of inputs) if (!used.has(name)) found.push(complain("unusedInput", document.atKey(["inputs", name]), { name }));
  return found;
}

function checkReferences(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.references ?? {});
  return Object.entries(template.answer).flatMap(([part, spec]) =>
    referencesIn(spec, ["answer", part])
      .filter(({ name }) => !known.includes(name))
      .map(({ name, path }) => complain("unknownReference", document.at(path), { name, known, near: nearest(name, known) })));
}

function checkMissing(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.inputs);
  return Object.entries(template.whenMissing ?? {}).flatMap(([name, way]) => {
    const spec = template.inputs[name];
    if (!spec) return [complain("unknownKey", document.atKey(["whenMissing", name]), { key: name, known, near: nearest(name, known) })];
    if (typeof way !== "object" || !("use" in way)) return [];
    const reading = shapeSpec(spec, kindOf).read(way.use);
    return reading.ok ? [] : [complain("badValue", document.at(["whenMissing", name, "use"]), { problem: `The value to use for \`${name}\` does not fit: ${reading.problem}.` })];
  });
}

function checkRules(template: Template, document: SourceDocument): Complaint[] {
  const known = Object.keys(template.answer);
  return (template.rules ?? []).flatMap((rule, index) => {
    const at = document.at(["rules", index]);
    const fault = ruleFault(rule);
    const named = [...(rule.in ?? []), ...(rule.check === undefined ? [] : (readExpression(rule.check, "answer").expression?.members ?? []))];
    const unknown = named.filter((name) => !known.includes(name));
    return [
      ...(fault === undefined ? [] : [complain("badValue", at, { problem: fault })]),
      ...unknown.map((name) => complain("unknownPart", at, { name, known, near: nearest(name, known) })),
    ];
  });
}

function checkExamples(template: Template, document: SourceDocument): Complaint[] {
  const parts = Object.keys(template.answer);
  const inputs = Object.keys(template.inputs);
  return (template.examples ?? []).flatMap((example, index) => {
    const at = ["examples", index] as const;
    const found: Complaint[] = [];
    for (const name of Object.keys(example.inputs)) {
      if (!inputs.includes(name)) found.push(complain("unknownKey", document.atKey([...at, "inputs", name]), { key: name, known: inputs, near: nearest(name, inputs) }));
    }
    for (const name of Object.keys(example.answer)) {
      if (!parts.includes(name)) found.push(complain("unknownPart", document.atKey([...at, "answer", name]), { name, known: parts, near: nearest(name, parts) }));
    }
    for (const part of parts) {
      const spec = template.answer[part]!;
      if (!(part in example.answer)) found.push(complain("missingKey", document.at([...at, "answer"]), { key: part }));
      else if (referencesIn(spec).length === 0) {
        const reading = shapeSpec(spec, kindOf).read(example.answer[part]);
        if (!reading.ok) found.push(complain("badExample", document.at([...at, "answer", part]), { part, problem: reading.problem }));
      }
    }
    return found;
  });
}

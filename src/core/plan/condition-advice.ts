/** What people write where CEL has something else, and what to type instead. */
const ADVICE: readonly (readonly [RegExp, (found: RegExpExecArray) => string])[] = [
  [/[“”„‘’]/, () => 'Use straight quotes: `"…"`'],
  [
    /\brow\.([\p{L}_][\p{L}\d_]*(?:[ -](?!in\b|and\b|or\b|not\b|is\b|like\b)[\p{L}\d_]+)+)/iu,
    ([, name]) => `A column whose name is not one word: \`row["${name}"]\``,
  ],
  [/\b(and|or)\b/i, ([word]) => `Write \`${/and/i.test(word) ? "&&" : "||"}\` for \`${word}\``],
  [/\bnot\b/i, ([word]) => `Write \`!\` for \`${word}\``],
  [/<>/, () => "Write `!=` for `<>`"],
  [/(?<![=!<>])=(?!=)/, () => "Write `==` to compare"],
  [/^\s*$/, () => "YAML took the condition for something else: put quotes around it"],
];

const UNKNOWN = /Unknown variable: ([\p{L}\d_]+)/u;

/** What a rule of review sees of an answer. */
export const OF_ANSWER = ["parts", "confidence", "notes"];

/** The problem of a condition with what to type instead, where that is known; `ofAnswer` where it may ask about the answer, too. */
export function adviseCondition(source: string, problem: string, ofAnswer = false): string {
  const unknown = UNKNOWN.exec(problem)?.[1];
  if (unknown !== undefined && ofAnswer)
    return OF_ANSWER.includes(unknown)
      ? `there is no \`${unknown}\` by itself. Write \`answer.${unknown}\``
      : `there is no \`${unknown}\` by itself. Of a column write \`row.${unknown}\`, of a part \`answer.parts.${unknown}\`, of a text \`"${unknown}"\``;
  if (unknown !== undefined)
    return `there is no \`${unknown}\` by itself. Of a column write \`row.${unknown}\`, of a text \`"${unknown}"\``;
  // What stands in quotes is a text.
  const bare = source.replace(/"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'/g, '""');
  for (const [pattern, say] of ADVICE) {
    const found = pattern.exec(bare);
    if (found) return `${problem}. ${say(found)}`;
  }
  return problem;
}

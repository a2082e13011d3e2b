import { plural } from "../../core/ground/index.js";
import type { FollowedRules } from "../../jobs/index.js";
import { bad, quiet, warn } from "./print.js";

type Rule = FollowedRules["rules"][number];

const MOST_KEYS = 3;

/** What rules did after a fill, a line each; nothing for one that had nothing to do. */
export function afterwardsLines({ rules, postponed, tables, back, messages }: FollowedRules): string[] {
  return [
    ...(back.brought > 0 ? [`${plural(back.brought, "cell")} came back from appended rows`] : []),
    ...back.conflicts.map(({ table, key, there, column, valueHere, valueThere }) =>
      bad(
        `\`${column}\` was changed in two places: \`${valueHere}\` in ${key}, \`${valueThere}\` in ${there} of ${table}. Decide: write the same in both.`,
      ),
    ),
    ...rules.flatMap((rule) => ruleLines(rule, false)),
    ...(postponed > 0 ? [warn(`${plural(postponed, "row")} left for the next fill, by \`limits.actions\``)] : []),
    ...tables.flatMap(({ table, written, missing, problem }) => [
      ...(problem === undefined ? [] : [bad(`${table} was not written: ${problem} The next fill goes on with it.`)]),
      ...(missing.length > 0 ? [warn(`${table} has no row ${missing.join(", ")}`)] : []),
      ...(written ? [`written: ${table}`] : []),
    ]),
    ...(messages.sent > 0 ? [`${plural(messages.sent, "message")} sent`] : []),
    ...messages.problems.map(({ rule, problem, messages: waiting }) =>
      bad(`${plural(waiting, "message")} of \`${rule}\` wait: ${problem}`),
    ),
    ...(messages.waiting > 0 && messages.problems.length === 0 ? [warn(`${plural(messages.waiting, "message")} wait`)] : []),
  ];
}

/** What rules would do, before a fill. */
export const wouldActLines = (rules: readonly Rule[]): string[] => rules.flatMap((rule) => ruleLines(rule, true));

function ruleLines({ rule, set, appended, takenOff, messages, steps, waits, unclear, problems, keys }: Rule, isPreview: boolean): string[] {
  const deeds = [
    set > 0 && `${plural(set, "row")} set`,
    appended > 0 && `${plural(appended, "row")} appended or renewed`,
    takenOff > 0 && `${plural(takenOff, "row")} taken off`,
    messages > 0 && plural(messages, "message"),
    steps > 0 && `${plural(steps, "row")} to be looked at once more`,
    waits > 0 && quiet(`${plural(waits, "row")} wait for values`),
  ].filter((deed): deed is string => typeof deed === "string");
  const total = set + appended + takenOff + messages + steps;
  const named = total > 0 ? quiet(`  (${keys.slice(0, MOST_KEYS).join(", ")}${total > MOST_KEYS ? " …" : ""})`) : "";
  return [
    ...(deeds.length > 0 ? [`rule \`${rule}\`${isPreview ? " would act" : ""}: ${deeds.join(", ")}${named}`] : []),
    ...(unclear > 0 ? [bad(`rule \`${rule}\`: could not be decided for ${plural(unclear, "row")}: ${problems.join("; ")}`)] : []),
  ];
}

import type { FilledPlan } from "../../jobs/index.js";

type Says = FilledPlan["hosts"][number]["now"];

const saysText = ({ model, system }: Says): string => [model, system].filter((one) => one !== undefined).join(", ");

/** That a model's host has become another, in words. */
export const hostLine = ({ model, was, now }: FilledPlan["hosts"][number]): string =>
  `The host of ${model} says that it is now ${saysText(now)}; before it said ${saysText(was)}. What it answers may differ from what was tried.`;

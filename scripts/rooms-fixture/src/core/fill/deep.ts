import { kinds } from "../kinds/index.js"; export const deep = kinds;

export const past = (model: { ask(request: object): unknown }): unknown => model.ask({});
export const branch = (part: { kind: string }): boolean => part.kind === "text";
export const cast = (value: string): number => value as unknown as number;

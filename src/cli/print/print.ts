import Table from "cli-table3";
import pc from "picocolors";
import { formatMoney } from "../../core/ground/index.js";
import { visible, visibleJson } from "./visible.js";

/** Writes results to standard output. */
export function out(text = ""): void {
  process.stdout.write(`${visible(text)}\n`);
}

/** Writes everything else to standard error. */
export function note(text: string): void {
  process.stderr.write(`${visible(text)}\n`);
}

export function outJson(value: unknown): void {
  process.stdout.write(`${visibleJson(value)}\n`);
}

const BARE = {
  top: "",
  "top-mid": "",
  "top-left": "",
  "top-right": "",
  bottom: "",
  "bottom-mid": "",
  "bottom-left": "",
  "bottom-right": "",
  left: "  ",
  "left-mid": "",
  mid: "",
  "mid-mid": "",
  right: "",
  "right-mid": "",
  middle: "  ",
};

export interface TableLook {
  /** Columns whose cells stand on the right, by index. */
  readonly right?: readonly number[];
  /** Most characters of a column, by index; longer cells are cut. */
  readonly width?: Readonly<Record<number, number>>;
}

/** A plain table: names in a quiet colour, columns two spaces apart. */
export function table(
  head: readonly string[],
  rows: readonly (readonly (string | number)[])[],
  { right = [], width = {} }: TableLook = {},
): string {
  const grid = new Table({
    chars: BARE,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 0 },
    head: head.map((name) => pc.dim(name)),
    colAligns: head.map((_, index) => (right.includes(index) ? "right" : "left")),
  });
  for (const row of rows) grid.push(row.map((cell, index) => visible(cut(String(cell), width[index]))));
  return grid
    .toString()
    .split("\n")
    .map((line) => line.trimEnd())
    .join("\n");
}

/** One line, at most `length` characters. */
export function cut(text: string, length = Infinity): string {
  const line = (length === Infinity ? text : visible(text, false)).replace(/\s+/g, " ");
  return line.length > length ? `${line.slice(0, length - 1)}…` : line;
}

export const heading = (text: string): string => pc.bold(text);
export const quiet = (text: string): string => pc.dim(text);
export const good = (text: string): string => pc.green(text);
export const warn = (text: string): string => pc.yellow(text);
/** Words that are marked in a text: underlined, or between signs where nothing can be. */
export const inked = (text: string): string => (pc.isColorSupported ? pc.underline(text) : `»${text}«`);
export const bad = (text: string): string => pc.red(text);

/** `0.8125` -> `81.3 %`; `null` -> `–`. */
export function percent(share: number | null): string {
  return share === null ? "–" : `${(share * 100).toFixed(1)} %`;
}

/** `83500` ms -> `1 min 24 s`. */
export function duration(ms: number): string {
  if (ms < 1000) return `${Math.round(ms)} ms`;
  const seconds = ms / 1000;
  if (seconds < 60) return `${seconds.toFixed(1)} s`;
  const minutes = Math.floor(seconds / 60);
  return minutes < 60 ? `${minutes} min ${Math.round(seconds % 60)} s` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** Indents every line, for prompts and replies. */
export function block(text: string): string {
  return text
    .split("\n")
    .map((line) => `  ${pc.dim("│")} ${visible(line, false)}`)
    .join("\n");
}

const LINE = 110;

/** Words in lines that begin with so many spaces. */
export function wrapped(text: string, indent: number): string {
  const lines: string[] = [];
  for (const word of text.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + word.length < LINE) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines.map((line) => `${" ".repeat(indent)}${line}`).join("\n");
}

export const standinNote = (isStandin: boolean): string | undefined =>
  isStandin ? warn("Answered by the offline stand-in, not by a language model. Name a model in yoroshi.yaml for real work.") : undefined;

/** An amount in units of the currency, as reports tell it. */
export const money = (amount: number, currency: string): string => formatMoney(Math.round(amount * 1e6), currency);

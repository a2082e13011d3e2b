import { createInterface } from "node:readline";
import { visible } from "./print/visible.js";

/** Whoever sits at the terminal; or a file, or another program, that says a line for each thing it is asked. */
export interface Person {
  /** One key of several; on a terminal without Enter. `undefined`: there is nobody any more. */
  key(question: string): Promise<string | undefined>;
  /** A line of words. */
  line(question: string): Promise<string | undefined>;
  close(): void;
}

const CTRL_C = "\u0003";
const CTRL_D = "\u0004";

export function personAtTerminal(): Person {
  return process.stdin.isTTY && process.stdout.isTTY ? atKeys() : atLines();
}

function atLines(): Person {
  const lines = createInterface({ input: process.stdin, terminal: false });
  const read = lines[Symbol.asyncIterator]();
  const line = async (question: string): Promise<string | undefined> => {
    process.stdout.write(visible(question));
    const { value, done } = await read.next();
    process.stdout.write("\n");
    return done ? undefined : String(value).trim();
  };
  return { key: line, line, close: () => lines.close() };
}

function atKeys(): Person {
  const { stdin, stdout } = process;
  return {
    key: (question) =>
      new Promise((resolve) => {
        stdout.write(visible(question));
        stdin.setRawMode(true);
        stdin.resume();
        stdin.once("data", (bytes: Buffer) => {
          stdin.setRawMode(false);
          stdin.pause();
          const text = bytes.toString("utf8");
          stdout.write(`${visible(text.replace(/[\r\n]/g, ""), false)}\n`);
          resolve(text === CTRL_C || text === CTRL_D ? undefined : text.replace(/[\r\n]/g, ""));
        });
      }),
    line: (question) =>
      new Promise((resolve) => {
        const lines = createInterface({ input: stdin, output: stdout });
        lines.on("SIGINT", () => lines.close());
        lines.once("close", () => resolve(undefined));
        lines.question(visible(question), (said) => {
          resolve(said.trim());
          lines.close();
        });
      }),
    close: () => stdin.pause(),
  };
}

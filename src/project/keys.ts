import { execFile } from "node:child_process";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { keyProblem } from "../adapters/chat-completions/index.js";
import { YoroshiError } from "../core/index.js";
import { isConfirmed } from "./confirmed.js";
import type { Environment } from "./environment.js";
import { insideProject } from "./files.js";
import type { ModelEntry } from "./project-file.js";

/** Where the keys of models come from. */
export interface Keys {
  /** Tells now what would be missing: a variable that is not set, a command that nobody has confirmed on this machine. */
  check(name: string, entry: ModelEntry): void;
  /** The key, read when the first question is asked. @throws YoroshiError `keyMissing`, `keyUnfit`, `keyCommandUnconfirmed`. */
  of(name: string, entry: ModelEntry): Promise<string | undefined>;
}

const COMMAND_MS = 15_000;
const MOST_BYTES = 64 * 1024;

export function projectKeys(root: string, environment: Environment): Keys {
  const check: Keys["check"] = (name, { key }) => {
    if (!key) return;
    if ("env" in key) {
      const set = environment(key.env);
      if (!set) throw new YoroshiError("keyMissing", { model: name, env: key.env });
      checkKey(name, key.env, set);
    }
    if ("command" in key && !isConfirmed(root, key.command))
      throw new YoroshiError("keyCommandUnconfirmed", { model: name, command: key.command });
  };
  return {
    check,
    async of(name, entry) {
      const { key } = entry;
      if (!key) return undefined;
      check(name, entry);
      const from = "env" in key ? key.env : "file" in key ? key.file : key.command[0]!;
      const text =
        "env" in key ? environment(key.env)! : "file" in key ? await fileKey(root, name, key.file) : await commandKey(name, key.command);
      checkKey(name, from, text);
      return text;
    },
  };
}

function checkKey(model: string, env: string, key: string): void {
  const problem = keyProblem(key);
  if (problem !== undefined) throw new YoroshiError("keyUnfit", { model, env, problem });
}

/** The first line of a file in the project, or of one named from the root of the disk or the home folder. */
async function fileKey(root: string, name: string, file: string): Promise<string> {
  const home = process.env["HOME"] ?? process.env["USERPROFILE"] ?? "";
  const place = file.startsWith("~/") ? path.join(home, file.slice(2)) : path.isAbsolute(file) ? file : insideProject(root, file);
  try {
    return firstLine(await readFile(place, "utf8"));
  } catch (error) {
    throw new YoroshiError(
      "keyUnread",
      { model: name, from: file, problem: (error as NodeJS.ErrnoException).code ?? "it cannot be read" },
      { cause: error },
    );
  }
}

/** What a program prints, run without a shell, for so long and no longer. Its standard error is not shown: a key may be in it. */
function commandKey(name: string, [program, ...rest]: readonly string[]): Promise<string> {
  return new Promise((resolve, reject) => {
    execFile(program!, rest, { timeout: COMMAND_MS, maxBuffer: MOST_BYTES, windowsHide: true, shell: false }, (error, stdout) => {
      const line = error ? "" : firstLine(stdout);
      if (line !== "") return resolve(line);
      const failed = error as (Error & { killed?: boolean; code?: number | string }) | null;
      const problem = failed?.killed
        ? `it took longer than ${COMMAND_MS / 1000} seconds`
        : failed
          ? `it ended with ${failed.code ?? "an error"}`
          : "it printed nothing";
      reject(new YoroshiError("keyUnread", { model: name, from: program!, problem }));
    });
  });
}

const firstLine = (text: string): string => text.split(/\r?\n/)[0]!.trim();

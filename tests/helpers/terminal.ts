import { spawn, spawnSync } from "node:child_process";
import { MAIN } from "./cli.js";

/** Python's own module for pseudo-terminals; where it is not installed, that is said. */
const PYTHON = ["python3", "/usr/bin/python3"].find((python) => spawnSync(python, ["-c", "import pty"]).status === 0);
export const HAS_TERMINAL = PYTHON !== undefined;
if (!HAS_TERMINAL) console.warn("NO PSEUDO-TERMINAL: commands are not tried with keys (python3 is missing).");

/** Waits for words, then presses keys. */
export type Keys = readonly [waitFor: string, press: string];

const DRIVER = `
import json, os, pty, re, select, sys, time, fcntl, struct, termios
argv, steps = json.loads(sys.argv[1]), json.loads(sys.argv[2])
pid, fd = pty.fork()
if pid == 0:
    os.environ["TERM"] = "xterm"; os.environ["NO_COLOR"] = "1"
    os.execvp(argv[0], argv)
fcntl.ioctl(fd, termios.TIOCSWINSZ, struct.pack("HHHH", 50, 120, 0, 0))
seen, new, left, until = "", "", list(steps), time.time() + 90
while time.time() < until:
    ready, _, _ = select.select([fd], [], [], 0.2)
    if ready:
        try: data = os.read(fd, 65536)
        except OSError: break
        if not data: break
        text = data.decode("utf8", "replace"); seen += text; new += text
    if left and left[0][0] in new and not ready:
        os.write(fd, left[0][1].encode()); new = ""; left.pop(0)
_, status = os.waitpid(pid, 0)
print(json.dumps({"code": os.waitstatus_to_exitcode(status) if hasattr(os, "waitstatus_to_exitcode") else status >> 8, "seen": seen, "left": left}))
`;

export interface Sitting {
  readonly code: number;
  /** What the terminal showed, without its control sequences. */
  readonly seen: string;
  /** Keys that were never asked for. */
  readonly left: readonly Keys[];
}

/** Runs the built command line on a pseudo-terminal, with somebody at its keys. */
export function atTerminal(args: readonly string[], cwd: string, keys: readonly Keys[]): Promise<Sitting> {
  return new Promise((resolve, reject) => {
    const child = spawn(PYTHON!, ["-c", DRIVER, JSON.stringify([process.execPath, MAIN, ...args]), JSON.stringify(keys)], { cwd });
    let out = "";
    let err = "";
    child.stdout.on("data", (chunk: Buffer) => (out += chunk.toString()));
    child.stderr.on("data", (chunk: Buffer) => (err += chunk.toString()));
    child.on("close", () => {
      try {
        const { seen, ...rest } = JSON.parse(out.trim().split("\n").at(-1)!) as Sitting;
        // oxlint-disable-next-line no-control-regex -- what a terminal is told
        resolve({ ...rest, seen: seen.replace(/\u001b\[[0-9;?]*[A-Za-z]|\u001b[=>]/g, "") });
      } catch {
        reject(new Error(err || out));
      }
    });
  });
}

import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import path from "node:path";

/**
 * Commands that a person has confirmed on this machine, by project. They stand in the person's own folder, not in the project: it may come
 * from somebody else, and so would a confirmation in it.
 */
const placeOf = (): string =>
  path.join(process.env["XDG_CONFIG_HOME"] || path.join(homedir(), ".config"), "yoroshi", "confirmed-commands.json");

const markOf = (root: string, command: readonly string[]): string =>
  createHash("sha256")
    .update(JSON.stringify([path.resolve(root), command]))
    .digest("hex");

function confirmed(): string[] {
  try {
    const kept: unknown = JSON.parse(readFileSync(placeOf(), "utf8"));
    return Array.isArray(kept) ? kept.filter((one) => typeof one === "string") : [];
  } catch {
    return []; // none yet, or unreadable: then it is asked again
  }
}

export const isConfirmed = (root: string, command: readonly string[]): boolean => confirmed().includes(markOf(root, command));

/** Keeps that a person lets a project run a command on this machine. */
export function confirmCommand(root: string, command: readonly string[]): void {
  const place = placeOf();
  if (!existsSync(path.dirname(place))) mkdirSync(path.dirname(place), { recursive: true, mode: 0o700 });
  writeFileSync(place, `${JSON.stringify([...new Set([...confirmed(), markOf(root, command)])], null, 1)}\n`, { mode: 0o600 });
}

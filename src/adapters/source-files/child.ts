/**
 * A process that reads files for another one, which ends it when it takes too long or too much: what is wrong with a file is its own row's
 * matter, never the run's.
 */
import { createHash } from "node:crypto";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Opened, SourceHandle } from "../../core/index.js";
import { Unreadable } from "./limits.js";
import type { MailOrder, ReadHow, TakenMail } from "./read-how.js";

/** What is to be read. */
export interface ReadOrder {
  readonly id: number;
  readonly path: string;
  readonly handle: SourceHandle;
  readonly how: ReadHow | MailOrder;
}

/** What came of it. */
export interface ReadReply {
  readonly id: number;
  readonly opened?: Opened | undefined;
  readonly mail?: TakenMail | undefined;
  readonly problem?: string | undefined;
  readonly mayPass?: boolean | undefined;
  /** Reading begins now: what the process itself needed to begin does not count. */
  readonly began?: true;
}

const reading = import("./read-content.js");

/** Of what a library says. */
const MOST_CHARS_SAID = 120;

async function answer({ path, handle, how }: ReadOrder): Promise<Omit<ReadReply, "id">> {
  try {
    const bytes = await readFile(path);
    if ("folder" in how) return { mail: await takeMail(bytes, how.folder) };
    if (createHash("sha256").update(bytes).digest("hex") !== handle.hash)
      return { problem: "was changed while it was about to be read", mayPass: true };
    const { readContent } = await reading;
    return { opened: await readContent(bytes, handle.type, how) };
  } catch (error) {
    if (error instanceof Unreadable) return { problem: error.message };
    const { code, message } = error as { code?: string; message?: string };
    return { problem: `cannot be read: ${code ?? String(message).slice(0, MOST_CHARS_SAID)}`, mayPass: code !== undefined };
  }
}

/** Names are the sender's: only what can be a file's name stays of them. */
const safeName = (name: string): string =>
  name
    .replace(/[^\p{L}\p{N}._ -]/gu, "_")
    .replace(/^\.+/, "")
    .slice(-80) || "attachment";

async function takeMail(bytes: Uint8Array, folder: string): Promise<TakenMail> {
  const { readEmail } = await import("./email.js");
  const { attachments, ...mail } = await readEmail(bytes);
  const places: string[] = [];
  for (const { name, bytes: own } of attachments) {
    const home = path.join(folder, createHash("sha256").update(own).digest("hex").slice(0, 16));
    await mkdir(home, { recursive: true });
    const place = path.join(home, safeName(name));
    await writeFile(place, own);
    places.push(place);
  }
  return { ...mail, attachments: places };
}

process.on("message", (order: ReadOrder) => {
  void reading
    .then(() => process.send?.({ id: order.id, began: true } satisfies ReadReply))
    .then(() => answer(order))
    .then((reply) => process.send?.({ id: order.id, ...reply } satisfies ReadReply));
});
process.on("disconnect", () => process.exit(0));
// Ctrl-C is the parent's to hear.
process.on("SIGINT", () => undefined);

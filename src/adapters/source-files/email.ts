import PostalMime from "postal-mime";
import type { Opened } from "../../core/index.js";
import { htmlText } from "./html.js";
import { Unreadable } from "./limits.js";
import type { ReadHow } from "./read-how.js";
import { typeOf, HEAD_BYTES, TAIL_BYTES } from "./type-of.js";

/** An e-mail, read. */
export interface ReadEmail {
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  /** ISO 8601; empty where it does not say. */
  readonly sent: string;
  readonly text: string;
  readonly attachments: readonly { readonly name: string; readonly bytes: Uint8Array }[];
}

/** Attachments within attachments. */
const MOST_ATTACHMENTS = 100;

export async function readEmail(bytes: Uint8Array): Promise<ReadEmail> {
  const mail = await PostalMime.parse(bytes, { attachmentEncoding: "arraybuffer" }).catch((error: unknown) => {
    throw new Unreadable("is a damaged e-mail", { cause: error });
  });
  const address = (one: { readonly name?: string; readonly address?: string } | undefined): string =>
    one ? (one.name && one.address ? `${one.name} <${one.address}>` : (one.address ?? one.name ?? "")) : "";
  const sent = mail.date && !Number.isNaN(Date.parse(mail.date)) ? new Date(mail.date).toISOString() : "";
  return {
    from: address(mail.from as never),
    to: (mail.to ?? []).map((one) => address(one as never)).join(", "),
    subject: mail.subject ?? "",
    sent,
    text: (mail.text?.trim() ? mail.text : mail.html ? htmlText(mail.html) : "").trim(),
    attachments: mail.attachments.slice(0, MOST_ATTACHMENTS).map((one, index) => ({
      name: one.filename ?? `attachment-${index + 1}`,
      bytes: new Uint8Array(one.content as ArrayBuffer),
    })),
  };
}

/** An e-mail as a document: its head, its text, what is attached to it. */
export async function emailContent(
  bytes: Uint8Array,
  how: ReadHow,
  read: (bytes: Uint8Array, type: string, how: ReadHow) => Promise<Opened>,
): Promise<Opened> {
  const { from, to, subject, sent, text, attachments } = await readEmail(bytes);
  const head = [from && `From: ${from}`, to && `To: ${to}`, sent && `Sent: ${sent}`, subject && `Subject: ${subject}`]
    .filter(Boolean)
    .join("\n");
  const all: Opened[] = [];
  const notes: string[] = [];
  for (const { name, bytes: own } of attachments) {
    const found = typeOf(own.subarray(0, HEAD_BYTES), own.subarray(-TAIL_BYTES), name);
    if ("problem" in found) {
      notes.push(`attachment ${name} ${found.problem}`);
      continue;
    }
    try {
      const one = await read(own, found.type, how);
      all.push({
        ...one,
        pages: one.pages.map((page) => ({ ...page, title: [`attachment ${name}`, page.title].filter(Boolean).join(", ") })),
      });
      notes.push(...one.notes.map((note) => `attachment ${name}: ${note}`));
    } catch (error) {
      if (!(error instanceof Unreadable)) throw error;
      notes.push(`attachment ${name} ${error.message}`);
    }
  }
  return {
    pages: [{ text: `${head}\n\n${text}`.trim() }, ...all.flatMap(({ pages }) => pages)],
    pictures: all.flatMap(({ pictures }) => pictures),
    notes,
  };
}

/** One piece of what is said to a model. Only words so far; whoever reads parts passes over kinds that it does not know. */
export interface TextPart {
  readonly kind: "text";
  readonly text: string;
}
/** One piece of what is said to a model. */
export type MessagePart = TextPart;

/** One turn of what is said to a model, or said by it. */
export interface Message {
  readonly role: "system" | "user" | "assistant";
  readonly parts: readonly MessagePart[];
}

/**
 * A turn of words alone.
 *
 * @example
 * ```ts
 * import { textMessage } from "yoroshi";
 *
 * textMessage("user", "Is it late?"); // => { role: "user", parts: [{ kind: "text", text: "Is it late?" }] }
 * ```
 */
export const textMessage = (role: Message["role"], text: string): Message => ({ role, parts: [{ kind: "text", text }] });

/**
 * The words of a turn, its parts one under the other.
 *
 * @example
 * ```ts
 * import { messageText, textMessage } from "yoroshi";
 *
 * messageText(textMessage("user", "Is it late?")); // => "Is it late?"
 * ```
 */
export function messageText({ parts }: Message): string {
  const [only, ...more] = parts;
  return more.length === 0 ? (only?.text ?? "") : parts.map(({ text }) => text).join("\n");
}

/** Words that are said to a model. */
export interface TextPart {
  readonly kind: "text";
  readonly text: string;
}

/** A picture that is shown to a model. */
export interface ImagePart {
  readonly kind: "picture";
  /** Its media type: `image/jpeg`. */
  readonly type: string;
  /** Its bytes in base 64. */
  readonly data: string;
  /** In points. */
  readonly width: number;
  readonly height: number;
  /** How many bytes it has, and their SHA-256 in hexadecimal. */
  readonly bytes: number;
  readonly hash: string;
  /** The most tokens that the model counts for it. */
  readonly tokens: number;
}

/** One piece of what is said to a model. Whoever reads parts passes over kinds that it does not know. */
export type MessagePart = TextPart | ImagePart;

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
 * The words of a turn, its parts one under the other; pictures are left out.
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
  if (more.length === 0) return only && only.kind !== "picture" ? only.text : "";
  return parts.flatMap((part) => (part.kind === "picture" ? [] : [part.text])).join("\n");
}

/** The pictures of a turn, in their order. */
export const messageImages = ({ parts }: Message): ImagePart[] => parts.filter((part) => part.kind === "picture");

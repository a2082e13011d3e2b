/** Figures and words as the command line has them, too. */
export const plural = (count: number, word: string): string => `${count.toLocaleString("en")} ${word}${count === 1 ? "" : "s"}`;
export const percent = (share: number): string => `${(share * 100).toFixed(1)} %`;
export const whole = (share: number): string => `${Math.round(share * 100)} %`;
export const range = ({ low, high }: { readonly low: number; readonly high: number }): string =>
  `${Math.round(low * 100)} to ${Math.round(high * 100)}`;
export const money = (amount: number, currency: string): string => `${amount.toFixed(4)} ${currency}`;

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

/** A moment as one says it today. */
export function when(moment: string | number): string {
  const at = new Date(moment);
  const ago = Date.now() - at.getTime();
  if (ago < MINUTE) return "just now";
  if (ago < 60 * MINUTE) return `${Math.round(ago / MINUTE)} min ago`;
  const time = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const date = at.toLocaleDateString("en-GB", { day: "numeric", month: "long" });
  return ago < DAY && at.getDate() === new Date().getDate() ? `today, ${time}` : `${date}, ${time}`;
}

/** Names as a sentence has them: a, b or c. */
export function listed(words: readonly string[], last: "and" | "or" = "and"): string {
  return words.length < 2 ? (words[0] ?? "") : `${words.slice(0, -1).join(", ")} ${last} ${words.at(-1)!}`;
}

import { messageText, plural } from "../ground/index.js";
import { withAsk, type Model, type ModelLayer, type ModelReply, type ModelRequest, type Usage } from "./model.js";
import { dearestUsage, guessUsage } from "./price.js";

/** A prompt or reply of so many characters takes a token at least. */
const SURELY_A_TOKEN = 40;

/**
 * The usage that is charged for a reply: as its host counted it, where that can be; else by our own count. What is negative,
 * not whole, zero for a text that is there, or more than the request can use whatever the model, cannot be. So no reply
 * costs more than was reserved for it. A host that really bills more than that bills beyond what we can know.
 */
export function chargedUsage(
  request: ModelRequest,
  reply: Pick<ModelReply, "text" | "usage">,
): { readonly usage: Usage; readonly doubt?: string } {
  const own = guessUsage(request, reply.text);
  const { usage } = reply;
  if (!usage) return { usage: own };
  const most = dearestUsage(request);
  const promptChars = request.messages.reduce((sum, message) => sum + messageText(message).length, 0);
  const tokensIn = counted(usage.tokensIn, own.tokensIn, most.tokensIn, promptChars);
  const tokensOut = counted(usage.tokensOut, own.tokensOut, most.tokensOut, reply.text.length);
  if (tokensIn === usage.tokensIn && tokensOut === usage.tokensOut) return { usage };
  const [what, told, least, limit] =
    tokensIn === usage.tokensIn
      ? (["reply", usage.tokensOut, own.tokensOut, most.tokensOut] as const)
      : (["prompt", usage.tokensIn, own.tokensIn, most.tokensIn] as const);
  return { usage: { tokensIn, tokensOut }, doubt: `${told} tokens for a ${what} of about ${plural(least, "token")}, ${limit} at most` };
}

function counted(told: number, own: number, most: number, chars: number): number {
  if (!Number.isSafeInteger(told) || told < 0 || (told === 0 && chars >= SURELY_A_TOKEN)) return Math.min(own, most);
  return Math.min(told, most);
}

/** Stands next to a model: what its replies are charged as is plausible. `tell` hears of the first that was not. */
export function checkedUsage(tell?: (model: Model, doubt: string) => void): ModelLayer {
  return (model) => {
    let told = false;
    return withAsk(model, async (request, signal) => {
      const reply = await model.ask(request, signal);
      if (!reply.usage) return reply;
      const { usage, doubt } = chargedUsage(request, reply);
      if (doubt !== undefined && !told) {
        told = true;
        tell?.(model, doubt);
      }
      return doubt === undefined ? reply : { ...reply, usage };
    });
  };
}

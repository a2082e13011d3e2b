import type { CancelSignal, Clock, Micros } from "../ground/index.js";
import { costOf, guessUsage, type AskedModel, type HostSays, type ModelReply, type ModelRequest, type Usage } from "../model/index.js";
import { PROMPT_FORM } from "../template/index.js";
import type { Answer, Exchange } from "./answer.js";

/** All requests that one question leads to, and what they add up to. */
export class Conversation {
  readonly #began: number;
  readonly #exchanges: Exchange[] = [];
  /** Requests of others that this question has a share in. */
  #borrowed = 0;
  #sharedMs = 0;
  #host: HostSays | undefined;

  constructor(
    readonly clock: Clock,
    readonly signal: CancelSignal | undefined,
  ) {
    this.#began = clock.now();
  }

  async send(why: Exchange["why"], model: AskedModel, request: ModelRequest): Promise<ModelReply> {
    const reply = await model.ask(request, this.signal);
    if (reply.host?.model !== undefined || reply.host?.system !== undefined) this.#host = reply.host;
    const usage = reply.usage ?? guessUsage(request, reply.text);
    this.#exchanges.push({ why, model: model.id, raw: reply.text, usage, spent: costOf(usage, model.price) });
    return reply;
  }

  /** Takes a share of a request that was made for several rows; all but one of them say `isBorrowed`. */
  share(exchange: Exchange, isBorrowed: boolean, ownMs: number): void {
    this.#exchanges.push(exchange);
    if (isBorrowed) this.#borrowed++;
    this.#sharedMs += ownMs;
  }

  /** What an answer says of its requests: sums always, the requests themselves where they are more than question and mend. */
  facts(): Pick<Answer, "asks" | "usage" | "spent" | "form" | "tookMs" | "host" | "exchanges" | "spentBy"> {
    const exchanges = this.#exchanges;
    const plain = exchanges.every(({ why }) => why === "asked" || why === "asked with others" || why === "mend");
    const spentBy: Record<string, Micros> = {};
    for (const { model, spent } of exchanges) spentBy[model] = (spentBy[model] ?? 0) + spent;
    return {
      asks: exchanges.length - this.#borrowed,
      usage: {
        tokensIn: sum(exchanges, ({ usage }) => usage.tokensIn),
        tokensOut: sum(exchanges, ({ usage }) => usage.tokensOut),
      } satisfies Usage,
      spent: sum(exchanges, ({ spent }) => spent),
      form: PROMPT_FORM,
      tookMs: this.clock.now() - this.#began + this.#sharedMs,
      ...(this.#host ? { host: this.#host } : {}),
      ...(plain ? {} : { exchanges: [...exchanges] }),
      ...(Object.keys(spentBy).length > 1 ? { spentBy } : {}),
    };
  }
}

function sum<T>(items: readonly T[], of: (item: T) => number): number {
  return items.reduce((total, item) => total + of(item), 0);
}

import { messageText, type AskedModel, type Model, type ModelReply, type ModelRequest } from "../../src/core/index.js";

/** A bare model where a test stands in for what asks it. */
export const bare = (model: Model): AskedModel => model as AskedModel;

export interface ScriptedModel extends AskedModel {
  readonly requests: ModelRequest[];
  mostAtOnce: number;
}

/** A model that answers as a function says, and remembers what it was asked. */
export function scriptedModel(
  answer: (request: ModelRequest, index: number) => string | Partial<ModelReply> | Promise<string | Partial<ModelReply>>,
  options: Partial<Model> = {},
): ScriptedModel {
  let open = 0;
  const model = {
    id: "scripted",
    host: "here",
    price: { input: 1, output: 1 },
    requests: [] as ModelRequest[],
    mostAtOnce: 0,
    ...options,
    ask: async (request: ModelRequest): Promise<ModelReply> => {
      model.mostAtOnce = Math.max(model.mostAtOnce, ++open);
      try {
        const reply = await answer(request, model.requests.push(request) - 1);
        const whole = typeof reply === "string" ? { text: reply } : reply;
        return { text: "", finish: "stop" as const, usage: { tokensIn: 100, tokensOut: 10 }, ...whole };
      } finally {
        open--;
      }
    },
  };
  return model as unknown as ScriptedModel;
}

/** The text between the last fence of the question. */
export function fenced(request: ModelRequest, name: string): string {
  const content = messageText(request.messages.findLast((message) => message.role === "user" && messageText(message).includes("<data-"))!);
  const all = [...content.matchAll(new RegExp(`<data-([a-z]+) name="${name}">\\n?([\\s\\S]*?)\\n?</data-\\1>`, "g"))];
  return all.at(-1)?.[2] ?? "";
}

/** A prompt with its fences' letters left out, as far as a test does not care. */
export const plainFences = (text: string): string => text.replace(/(<\/?data)-[a-z]{10}(?=[ >])/g, "$1");

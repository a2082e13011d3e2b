import { chatCompletions } from "../adapters/chat-completions/index.js";
import { checkedUsage, nearest, YoroshiError, type Clock, type Model } from "../core/index.js";
import { STANDIN_HOST, STANDIN_ID } from "../core/standin/index.js";
import type { StandinServer } from "../services/standin-server/index.js";
import type { Keys } from "./keys.js";
import type { ModelEntry, ProjectFile } from "./project-file.js";

/** The models of a project, opened as they are needed. */
export interface Models {
  /**
   * A model by its name in yoroshi.yaml; the first one, or the stand-in, where no name is given. Nothing is connected to, and no key
   * needed, until it is asked.
   *
   * @param options.asks it is going to be asked, so that a missing key is told now. Default true.
   */
  open(name: string | undefined, options?: { readonly asks?: boolean }): Promise<OpenModel>;
  close(): Promise<void>;
}

/** A model of a project, ready to be asked. */
export interface OpenModel {
  readonly name: string;
  readonly model: Model;
  readonly isStandin: boolean;
}

const STANDIN_ENTRY: ModelEntry = { endpoint: "standin" };

export function projectModels(project: ProjectFile, clock: Clock, onNotice: (text: string) => void, keys: Keys): Models {
  const open = new Map<string, OpenModel>();
  let server: Promise<StandinServer> | undefined;

  const connect = async (name: string, entry: ModelEntry, about: Omit<Model, "ask">): Promise<Model> => {
    const endpoint = entry.endpoint === "standin" ? (await (server ??= startStandin())).endpoint : entry.endpoint;
    // Loaded when first needed: commands that ask nothing start faster without them.
    const { viaUndici } = await import("../adapters/chat-completions/send-undici.js");
    const model = chatCompletions({
      ...about,
      endpoint,
      key: await keys.of(name, entry),
      jsonSchema: entry.can === undefined || entry.can.includes("jsonSchema"),
      timeoutMs: entry.timeoutSeconds === undefined ? undefined : entry.timeoutSeconds * 1000,
      send: viaUndici(),
      clock,
      onRefused: (extra) =>
        onNotice(
          extra === "jsonSchema"
            ? `The model ${name} does not take a JSON Schema; it is left out for the rest of this run. Say \`can: []\` in yoroshi.yaml to leave it out from the start.`
            : `The model ${name} gives no log probabilities, so its answers have no confidence. Choose another way in the template's \`doubt\`.`,
        ),
    });
    return checkedUsage((_, doubt) =>
      onNotice(`${about.host} counts ${doubt}. Such counts of the model ${name} are not believed; it is charged by our own.`),
    )(model);
  };

  const make = (name: string, entry: ModelEntry): OpenModel => {
    const isStandin = entry.endpoint === "standin";
    const about = {
      id: entry.id ?? STANDIN_ID,
      host: isStandin ? STANDIN_HOST : entry.endpoint.replace(/\/+$/, ""),
      // The stand-in costs nothing; of any other model, only yoroshi.yaml can tell.
      price: entry.price ?? (isStandin ? { input: 0, output: 0 } : undefined),
      limits: entry.limits && {
        ...entry.limits,
        patienceMs: entry.limits.patienceSeconds === undefined ? undefined : entry.limits.patienceSeconds * 1000,
      },
      context: entry.context,
      pictures: entry.pictures,
      hearsSignal: true,
    };
    let connected: Promise<Model> | undefined;
    const model: Model = {
      ...about,
      ask: async (request, signal) => (await (connected ??= connect(name, entry, about))).ask(request, signal),
    };
    return { name, model, isStandin };
  };

  return {
    open: async (wanted, { asks = true } = {}) => {
      const names = Object.keys(project.models);
      const name = wanted ?? names[0] ?? "standin";
      const entry = project.models[name] ?? (names.length === 0 || name === "standin" ? STANDIN_ENTRY : undefined);
      if (!entry) throw new YoroshiError("notFound", { what: "model", name, known: names, near: nearest(name, names) });
      if (asks) keys.check(name, entry);
      let opened = open.get(name);
      if (!opened) open.set(name, (opened = make(name, entry)));
      return opened;
    },
    close: async () => {
      if (server) await (await server).close();
    },
  };
}

async function startStandin(): Promise<StandinServer> {
  const { standinServer } = await import("../services/standin-server/index.js");
  return standinServer();
}

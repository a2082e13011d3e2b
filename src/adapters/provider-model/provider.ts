/**
 * A model of a provider package of the wider ecosystem, as far as it is used here: such packages give objects of this shape, in
 * versions that differ in details. Nothing of them is imported.
 */
export interface Provider {
  readonly specificationVersion: string;
  readonly provider: string;
  readonly modelId: string;
  /** One request, one attempt. */
  doGenerate(options: never): PromiseLike<unknown>;
}

export function isProvider(value: unknown): value is Provider {
  const { specificationVersion, provider, modelId, doGenerate } = (value ?? {}) as Partial<Record<keyof Provider, unknown>>;
  return (
    typeof specificationVersion === "string" &&
    typeof provider === "string" &&
    typeof modelId === "string" &&
    typeof doGenerate === "function"
  );
}

export interface ProviderText {
  readonly type: "text";
  readonly text: string;
}

/** A picture: bytes in base 64, bare in the second and third version, in an object of their own since the fourth. */
export interface ProviderFile {
  readonly type: "file";
  readonly mediaType: string;
  readonly data: string | { readonly type: "data"; readonly data: string };
}

/** What it is called with; the same in all versions that are known. */
export interface GenerateOptions {
  readonly prompt: readonly (
    | { readonly role: "system"; readonly content: string }
    | { readonly role: "user" | "assistant"; readonly content: readonly (ProviderText | ProviderFile)[] }
  )[];
  readonly maxOutputTokens: number;
  readonly temperature?: number | undefined;
  readonly seed?: number | undefined;
  readonly responseFormat?: { readonly type: "json"; readonly schema: unknown; readonly name?: string | undefined } | undefined;
  readonly abortSignal?: AbortSignal | undefined;
}

/** What it gives. A finish reason is a word in v2 and an object later; counts of tokens likewise. */
export interface Generated {
  readonly content?: readonly { readonly type: string; readonly text?: unknown }[];
  readonly finishReason?: unknown;
  readonly usage?: { readonly inputTokens?: unknown; readonly outputTokens?: unknown };
  readonly response?: { readonly id?: unknown; readonly headers?: Readonly<Record<string, string>>; readonly body?: unknown };
}

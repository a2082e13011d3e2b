import { createNoopMeter, metrics, SpanKind, SpanStatusCode, trace, type Attributes, type Meter, type Tracer } from "@opentelemetry/api";
import { ModelFailure, withAsk, type Model, type ModelLayer, type ModelReply } from "../../core/index.js";

const NAME = "yoroshi";

/**
 * A span and two metrics for every attempt to ask a model, named after OpenTelemetry's semantic conventions for generative
 * AI. Nothing leaves the process unless the user has registered an exporter: only the API package is used. No prompts, no
 * replies, nothing of a row.
 *
 * @example
 * ```ts
 * import { telemetry } from "yoroshi/node";
 * import { standin } from "yoroshi/standin";
 *
 * // Each attempt is a span and counts in metrics, where the application has registered exporters.
 * const model = telemetry()(standin());
 * model.id; // => "standin-small"
 * ```
 */
export function telemetry(): ModelLayer {
  const tracer = trace.getTracer(NAME);
  const meter = metrics.getMeter(NAME);
  if (!isHeard(tracer, meter)) return (model) => model;
  const duration = meter.createHistogram("gen_ai.client.operation.duration", { unit: "s", description: "Time of one request to a model" });
  const tokens = meter.createHistogram("gen_ai.client.token.usage", { unit: "{token}", description: "Tokens of one request to a model" });
  return (model: Model) => {
    const common: Attributes = { "gen_ai.operation.name": "chat", "gen_ai.provider.name": model.host, "gen_ai.request.model": model.id };
    return withAsk(model, (request, signal) =>
      tracer.startActiveSpan(
        `chat ${model.id}`,
        {
          kind: SpanKind.CLIENT,
          attributes: {
            ...common,
            "gen_ai.request.max_tokens": request.maxTokens,
            ...(request.temperature === undefined ? {} : { "gen_ai.request.temperature": request.temperature }),
          },
        },
        async (span) => {
          const began = performance.now();
          let outcome: Attributes = {};
          try {
            const reply = await model.ask(request, signal);
            span.setAttributes(replyFacts(reply));
            if (reply.usage) {
              tokens.record(reply.usage.tokensIn, { ...common, "gen_ai.token.type": "input" });
              tokens.record(reply.usage.tokensOut, { ...common, "gen_ai.token.type": "output" });
            }
            return reply;
          } catch (error) {
            outcome = { "error.type": error instanceof ModelFailure ? error.kind : "unexpected" };
            span.setAttributes(outcome);
            span.setStatus({ code: SpanStatusCode.ERROR });
            throw error;
          } finally {
            duration.record((performance.now() - began) / 1000, { ...common, ...outcome });
            span.end();
          }
        },
      ),
    );
  };
}

/** Whether anybody has registered an exporter; the API's own stand-ins record nothing. */
function isHeard(tracer: Tracer, meter: Meter): boolean {
  const span = tracer.startSpan("probe");
  const isRecording = span.isRecording();
  return isRecording || meter.constructor !== createNoopMeter().constructor;
}

function replyFacts({ finish, usage, id }: ModelReply): Attributes {
  return {
    "gen_ai.response.finish_reasons": [finish],
    ...(id === undefined ? {} : { "gen_ai.response.id": id }),
    ...(usage ? { "gen_ai.usage.input_tokens": usage.tokensIn, "gen_ai.usage.output_tokens": usage.tokensOut } : {}),
  };
}

import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { metrics, trace } from "@opentelemetry/api";
import { AggregationTemporality, InMemoryMetricExporter, MeterProvider, PeriodicExportingMetricReader } from "@opentelemetry/sdk-metrics";
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from "@opentelemetry/sdk-trace-base";
import { afterAll, expect, it } from "vitest";
import { runLog } from "../../src/adapters/run-log/index.js";
import { telemetry } from "../../src/adapters/telemetry/index.js";
import { ModelFailure, textMessage, type Model } from "../../src/core/index.js";

const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-log-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

let asked = 0;
const model: Model = {
  id: "small",
  host: "https://models.example/v1",
  ask: async () => {
    if (++asked === 2) throw new ModelFailure("busy", "secret words of the host", { status: 429, retryAfterMs: 5 });
    return { text: "a secret reply", finish: "stop", usage: { tokensIn: 7, tokensOut: 3 }, id: "r-1" };
  },
};
const request = { messages: [textMessage("user", "a secret prompt")], maxTokens: 9, temperature: 0 };

it("a run log has every attempt with its outcome, and nothing of prompt, reply or key", async () => {
  asked = 0;
  const file = path.join(folder, "runs", "log.jsonl");
  const log = runLog(file);
  const seen = log.observed(model);
  await seen.ask(request);
  await expect(seen.ask(request)).rejects.toThrow();
  log.note("fill ended", { filled: 1 });
  await log.close();
  const text = readFileSync(file, "utf8");
  const lines = text
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line) as Record<string, unknown>);
  expect(lines).toMatchObject([
    {
      event: "reply",
      request: 1,
      model: "small",
      finish: "stop",
      tokensIn: 7,
      tokensOut: 3,
      id: "r-1",
      ms: expect.any(Number),
      level: "info",
    },
    { event: "failure", request: 2, kind: "busy", status: 429, retryAfterMs: 5, level: "warn" },
    { event: "fill ended", filled: 1 },
  ]);
  expect(text).not.toContain("secret");
});

it("spans and metrics go to the exporter that the user registered, named after the conventions for generative AI", async () => {
  asked = 0;
  const spans = new InMemorySpanExporter();
  trace.setGlobalTracerProvider(new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(spans)] }));
  const exporter = new InMemoryMetricExporter(AggregationTemporality.CUMULATIVE);
  const reader = new PeriodicExportingMetricReader({ exporter, exportIntervalMillis: 60_000 });
  metrics.setGlobalMeterProvider(new MeterProvider({ readers: [reader] }));
  const seen = telemetry()(model);
  expect((await seen.ask(request)).text).toBe("a secret reply");
  await expect(seen.ask(request)).rejects.toMatchObject({ kind: "busy" });
  const [good, bad] = spans.getFinishedSpans();
  expect(good).toMatchObject({
    name: "chat small",
    attributes: {
      "gen_ai.operation.name": "chat",
      "gen_ai.request.model": "small",
      "gen_ai.request.max_tokens": 9,
      "gen_ai.request.temperature": 0,
      "gen_ai.usage.input_tokens": 7,
      "gen_ai.usage.output_tokens": 3,
      "gen_ai.response.finish_reasons": ["stop"],
    },
  });
  expect(bad!.attributes["error.type"]).toBe("busy");
  expect(JSON.stringify(spans.getFinishedSpans().map(({ attributes }) => attributes))).not.toContain("secret");
  await reader.forceFlush();
  const found = exporter
    .getMetrics()
    .flatMap(({ scopeMetrics }) =>
      scopeMetrics.flatMap((scope) => scope.metrics.map(({ descriptor, dataPoints }) => [descriptor.name, dataPoints.length])),
    );
  expect(Object.fromEntries(found)).toEqual({ "gen_ai.client.operation.duration": 2, "gen_ai.client.token.usage": 2 });
});

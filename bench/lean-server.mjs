// A chat-completions host that costs almost nothing: always the same answer, after a fixed time.
// Prints its address; on standard input `count` asks for the number of requests so far.
import { createServer } from "node:http";

const latencyMs = Number(process.argv[2] ?? 0);
const answer = { why: "it says so", topic: "fire", level: 3 };
const body = JSON.stringify({
  id: "x",
  object: "chat.completion",
  created: 0,
  model: "lean",
  choices: [{ index: 0, finish_reason: "stop", message: { role: "assistant", content: JSON.stringify(answer), refusal: null } }],
  usage: { prompt_tokens: 180, completion_tokens: 20, total_tokens: 200 },
});
let requests = 0;
const server = createServer({ keepAliveTimeout: 60_000 }, (request, response) => {
  requests++;
  request.resume();
  request.on("end", () => {
    const reply = () =>
      response.writeHead(200, { "content-type": "application/json", "content-length": Buffer.byteLength(body) }).end(body);
    if (latencyMs > 0) setTimeout(reply, latencyMs);
    else reply();
  });
});
server.listen(0, "127.0.0.1", () => console.log(`http://127.0.0.1:${server.address().port}/v1`));
process.stdin.on("data", () => console.log(requests));

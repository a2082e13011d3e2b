// Four workers on one limit of requests a minute: how much of it is used once all are at work, and how much is refused. One JSON line.
// Usage: node bench/shared-limit.mjs FOLDER ADDRESS PER_MINUTE
import { answering, filled } from "./spread-kit.mjs";

const [, , root, url, given] = process.argv;
const perMinute = Number(given);
const server = await answering(100, { perMinute });
// Three minutes' worth.
const rows = perMinute * 3;
const limits = `, limits: { requestsPerMinute: ${perMinute} }`;
const made = await filled(root, server, { workers: 4, atOnce: 20, rows, url, limits, chunk: 40 });
server.close();
const { answered, refused } = server.seen;
// Beginning and end are left out: who joins waits until the others know of it, and the last rows keep one or two only.
const [from, to] = [answered[0] + 10_000, answered.at(-1) - 20_000];
const within = answered.filter((at) => at >= from && at < to).length;
const used = within / ((perMinute * (to - from)) / 60_000);
console.log(
  JSON.stringify({
    used,
    refused: refused.length / (answered.length + refused.length),
    usedInAll: answered.length / ((perMinute * (answered.at(-1) - answered[0])) / 60_000),
    ...made,
  }),
);

// A fill by one process, by one worker and by two, on a server that answers after MS, AT_ONCE at once each. One JSON line.
// Usage: node bench/spread.mjs FOLDER ADDRESS ROWS MS AT_ONCE
import { availableParallelism } from "node:os";
import { answering, filled } from "./spread-kit.mjs";

const [, , root, url, rows, ms, atOnce] = process.argv.map((text, index) => (index < 4 ? text : Number(text)));
const server = await answering(ms);
const about = { atOnce, rows };
const file = await filled(root, server, { ...about, workers: 0 });
const alone = await filled(root, server, { ...about, workers: 0, url });
const one = await filled(root, server, { ...about, workers: 1, url });
const two = await filled(root, server, { ...about, workers: 2, url });
server.close();
const schemas = [alone, one, two].map(({ schema }) => schema);
console.log(
  JSON.stringify({
    cores: availableParallelism(),
    file,
    alone,
    one,
    two,
    schemas,
    ratio: one.asking / two.asking,
    wholeRatio: one.seconds / two.seconds,
    cpuRatio: two.cpu / alone.cpu,
    cpuRatioToFile: two.cpu / file.cpu,
    busy: two.cpu / two.seconds / availableParallelism(),
  }),
);

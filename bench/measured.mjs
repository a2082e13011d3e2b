// Runs the built command line in this process and adds what it took to the last line. Usage: measured.mjs ARGS…
const { fileURLToPath } = await import("node:url");
process.argv.splice(1, 1, fileURLToPath(new URL("../dist/bin/yoroshi.js", import.meta.url)));
const began = process.hrtime.bigint();
process.on("exit", () => {
  const { user, system } = process.cpuUsage();
  process.stdout.write(
    `${JSON.stringify({ wallMs: Number(process.hrtime.bigint() - began) / 1e6, cpuMs: (user + system) / 1000, peakMb: process.resourceUsage().maxRSS / 1024 })}\n`,
  );
});
await import("../dist/bin/yoroshi.js");

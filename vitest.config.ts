import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    include: ["src/**/*.test.ts", "tests/**/*.test.ts"],
    exclude: ["tests/long/**", "**/node_modules/**"],
    typecheck: { enabled: true, include: ["src/**/*.test-d.ts"], tsconfig: "./tsconfig.json", checker: "tsc" },
    // The tests wait more than they reckon: two files at a time, also on two cores.
    maxWorkers: 2,
    // Five times what a loaded machine needs: no test fails for being slow.
    testTimeout: 150_000,
    hookTimeout: 600_000,
    expect: { poll: { timeout: 30_000 } },
    reporters: process.env["CI"] ? ["default", ["json", { outputFile: "node_modules/.vitest-report.json" }]] : ["default"],
  },
});

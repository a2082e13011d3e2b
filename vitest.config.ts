import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    include: ["src/**/*.test.ts", "tests/**/*.test.ts"],
    exclude: ["tests/long/**", "**/node_modules/**"],
    typecheck: { enabled: true, include: ["src/**/*.test-d.ts"], tsconfig: "./tsconfig.json", checker: "tsc" },
    testTimeout: 30_000,
    hookTimeout: 120_000,
    reporters: process.env["CI"] ? ["default", ["json", { outputFile: "node_modules/.vitest-report.json" }]] : ["default"],
  },
});

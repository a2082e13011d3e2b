import { fileURLToPath } from "node:url";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";
// @ts-expect-error -- a script of the repository, which has no types
import { noticesOf } from "../../scripts/notices.mjs";

/** What is bundled keeps its licence beside it. */
const notices = (): Plugin => ({
  name: "notices",
  generateBundle(_, bundle) {
    const modules = Object.values(bundle).flatMap((one) => (one.type === "chunk" ? Object.keys(one.modules) : []));
    this.emitFile({ type: "asset", fileName: "THIRD-PARTY.txt", source: noticesOf(modules, "The desk") as string });
  },
});

/** Built into the package, from where the server sends it. */
export default defineConfig({
  base: "/desk/",
  plugins: [react(), notices()],
  build: {
    target: "es2022",
    outDir: fileURLToPath(new URL("../../dist/desk", import.meta.url)),
    emptyOutDir: true,
    modulePreload: { polyfill: false },
  },
});

import { fileURLToPath } from "node:url";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** Built into the package; `npm run dev` shows the pages of a server that runs at YOROSHI_SERVER. */
export default defineConfig({
  base: "/desk/",
  plugins: [react()],
  build: {
    target: "es2022",
    outDir: fileURLToPath(new URL("../../dist/desk", import.meta.url)),
    emptyOutDir: true,
    modulePreload: { polyfill: false },
  },
});

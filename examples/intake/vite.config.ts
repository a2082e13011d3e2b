import { defineConfig } from "vite";

// With YOROSHI_SERVER and YOROSHI_TOKEN the form talks to a server; the token stays here, and never gets into the page.
const { YOROSHI_SERVER: target, YOROSHI_TOKEN: token } = process.env;
const proxy =
  target && token
    ? {
        "/server": {
          target,
          changeOrigin: true,
          rewrite: (path: string) => path.replace(/^\/server/, ""),
          headers: { authorization: `Bearer ${token}` },
        },
      }
    : {};

export default defineConfig({ build: { target: "es2022" }, server: { proxy }, preview: { proxy } });

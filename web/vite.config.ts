import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { readFileSync } from "node:fs";
import { defineConfig, type Plugin } from "vite";

/** Writes the service worker with the list of the build's own files. */
function serviceWorker(): Plugin {
  return {
    name: "service-worker",
    apply: "build",
    generateBundle(_, bundle) {
      const files = Object.keys(bundle)
        .filter((name) => name.startsWith("assets/"))
        .map((name) => `/${name}`)
        .sort();
      const source = readFileSync(new URL("sw.js", import.meta.url), "utf8").replace(
        "__FILES__",
        JSON.stringify(files),
      );
      this.emitFile({ type: "asset", fileName: "sw.js", source });
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwind(), serviceWorker()],
  build: { outDir: "dist", target: "es2022", chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8000", changeOrigin: false } } }, // the origin of what is sent stays the host
});

/// <reference types="vitest/config" />
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";
import tailwindcss from "@tailwindcss/vite";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";

const OUT = fileURLToPath(new URL("../src/openlatch/web/console", import.meta.url));

/** Compresses once, here, what the service hands out with every first visit; fonts and pictures are so already. */
const compressed = {
  name: "compressed",
  closeBundle() {
    for (const file of readdirSync(OUT, { recursive: true, encoding: "utf8" })) {
      if (/\.(js|css|html|svg)$/.test(file)) {
        writeFileSync(join(OUT, `${file}.gz`), gzipSync(readFileSync(join(OUT, file)), { level: 9 }));
      }
    }
  },
};

export default defineConfig({
  plugins: [vue(), tailwindcss(), { ...compressed, apply: "build" }],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: {
    outDir: OUT,
    emptyOutDir: true,
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8480" } },
  test: { environment: "happy-dom", include: ["src/**/*.test.ts"] },
});

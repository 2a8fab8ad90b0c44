import tailwind from "@tailwindcss/vite";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [tailwind()],
  esbuild: { jsx: "automatic" },
  build: { target: "es2022", chunkSizeWarningLimit: 900, assetsInlineLimit: 0 },
  server: { proxy: { "/api": "http://127.0.0.1:8470", "/made": "http://127.0.0.1:8470" } },
});

import tailwind from "@tailwindcss/vite";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [tailwind()],
  esbuild: { jsx: "automatic" },
  build: { target: "es2022", chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8470", "/media": "http://127.0.0.1:8470", "/made": "http://127.0.0.1:8470" } },
});

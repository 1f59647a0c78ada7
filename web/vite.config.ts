import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  server: { proxy: { "/api": "http://127.0.0.1:8000" } },
  test: { environmentOptions: { happyDOM: { url: "http://127.0.0.1/" } } },
  build: { chunkSizeWarningLimit: 1800, sourcemap: false },
});

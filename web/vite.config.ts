import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  server: { proxy: { "/api": "http://127.0.0.1:8000" } },
  // Test files of one worker share what they import: reading it is most of the time.
  test: { isolate: false, environmentOptions: { happyDOM: { url: "http://127.0.0.1/" } } },
  build: { chunkSizeWarningLimit: 1800, sourcemap: false },
});

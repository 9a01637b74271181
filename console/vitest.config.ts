import { defineConfig, mergeConfig } from "vitest/config";
import vite from "./vite.config";

export default mergeConfig(
  vite,
  defineConfig({
    // No test depends on being quick: a busy machine may take its time.
    test: { environment: "jsdom", globals: true, setupFiles: "src/test/setup.ts", css: false, testTimeout: 300_000 },
  }),
);

import { defineConfig } from "vitest/config";

export default defineConfig({
  test: { setupFiles: ["src/testing/setup.ts"], include: ["src/**/*.test.ts", "src/**/*.test.tsx", "lint/*.test.ts"], testTimeout: 60_000, hookTimeout: 60_000 },
});

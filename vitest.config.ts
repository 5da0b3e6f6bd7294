import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['src/**/*.test.ts'],
    setupFiles: [],
    testTimeout: 120_000,
    hookTimeout: 120_000,
    // on two cores the default is one
    maxWorkers: 2,
  },
})

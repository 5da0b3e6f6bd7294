import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['src/**/*.test.ts'],
    setupFiles: ['vitest.setup.ts'],
    testTimeout: 120_000,
    hookTimeout: 120_000,
    // the core keeps nothing between two calls that a test could see, so files may share their modules: a third of the time was loading them
    isolate: false,
    // on two cores the default is one
    maxWorkers: 2,
  },
})

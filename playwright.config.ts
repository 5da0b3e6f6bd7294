import { defineConfig } from '@playwright/test'

/** Of file and tags. */
const LISTENING = /playback\.e2e\.ts|@listens/

const port = Number(process.env.E2E_PORT ?? 4655)

export default defineConfig({
  testDir: 'e2e',
  // sound is made in real time: where all that goes out is listened to, two browsers on two cores would only measure each other.
  // `npm test` runs `alone` with one worker and `beside` with two
  projects: [
    { name: 'alone', grep: LISTENING, testMatch: '*.e2e.ts' },
    { name: 'beside', grepInvert: LISTENING, testMatch: '*.e2e.ts' },
    // what takes long, and is no part of `npm test`: `npm run endure`
    { name: 'endure', testMatch: 'endure/*.endure.ts', timeout: 3_600_000 },
  ],
  workers: 1,
  // a machine may be three times as slow as usual: what never comes fails all the same
  timeout: 240_000,
  expect: { timeout: 60_000 },
  reporter: [['list'], ['json', { outputFile: process.env.E2E_REPORT ?? '.cache/e2e.json' }]],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    colorScheme: 'dark',
    acceptDownloads: true,
    // what tests need no second time would be fetched by each of them; a test of its own lets it
    serviceWorkers: 'block',
    actionTimeout: 60_000,
    trace: 'off',
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
        '--autoplay-policy=no-user-gesture-required',
      ],
    },
  },
  webServer: {
    command: 'node server/serve.mjs',
    env: { PORT: String(port), HOST: '127.0.0.1' },
    url: `http://127.0.0.1:${port}/`,
    reuseExistingServer: false,
    timeout: 30_000,
  },
})

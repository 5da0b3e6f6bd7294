import { type ChildProcess, spawn } from 'node:child_process'
import { frameCount } from '../src/core'
import { CALL, choose, drawn, expect, saved, test, type } from './bench'

// the worker that keeps the app is left out of every other test
test.use({ serviceWorkers: 'allow' })

/** A server of its own, which can go away. */
async function ownServer(): Promise<{ address: string; server: ChildProcess }> {
  const server = spawn(process.execPath, ['server/serve.mjs'], {
    env: { ...process.env, PORT: '0', HOST: '127.0.0.1' },
  })
  const address = await new Promise<string>((resolve, reject) => {
    server.stdout?.on('data', (bytes) => {
      const found = /http:\S+/.exec(String(bytes))?.[0]
      if (found) resolve(found)
    })
    server.on('exit', () => reject(new Error('the server ended')))
  })
  return { address, server }
}

test('once it was there, it opens without its server: sounds are read, stretched, and taken away; the guide is there too', async ({
  page,
  complaints,
}) => {
  const { address, server } = await ownServer()
  try {
    await page.goto(address)
    await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
    await page.evaluate(() => navigator.serviceWorker.ready)
    await expect.poll(() => page.evaluate(() => navigator.serviceWorker.controller !== null)).toBe(true)
  } finally {
    server.kill('SIGKILL')
  }
  await expect
    .poll(() =>
      page.evaluate(
        (url) =>
          fetch(`${url}api/methods`).then(
            () => 'there',
            () => 'gone',
          ),
        address,
      ),
    )
    .toBe('gone')
  complaints.length = 0
  await page.reload()
  // shared memory goes with the headers that were kept along
  expect(await page.evaluate(() => crossOriginIsolated)).toBe(true)
  await choose(page, 'Harbour bell')
  await page.getByLabel('Sound files').setInputFiles(CALL.file)
  await choose(page, 'gull')
  await type(page.getByRole('spinbutton', { name: 'Stretch', exact: true }), '2')
  await drawn(page)
  const download = page.waitForEvent('download')
  await page.keyboard.press('e')
  const { audio } = await saved(await download)
  expect(frameCount(audio)).toBe(Math.round(CALL.seconds * 2 * CALL.sampleRate))
  await page.goto(`${address}guide/`)
  await expect(page.getByRole('heading', { name: 'Zumbet in ten minutes' })).toBeVisible()
  const pictures = page.getByRole('img')
  expect(await pictures.count()).toBeGreaterThan(3)
  for (const picture of await pictures.all()) {
    await picture.scrollIntoViewIfNeeded()
    await expect.poll(() => picture.evaluate((img) => (img as HTMLImageElement).naturalWidth)).toBeGreaterThan(0)
  }
  // what it cannot do without its server is no complaint
  complaints.length = 0
})

test('files that are opened with it come in: a sound onto the shelf, a session to be chosen', async ({ page }) => {
  await page.addInitScript(() => {
    const queue = { consumer: undefined as undefined | ((launch: unknown) => void) }
    ;(globalThis as unknown as { launched: typeof queue }).launched = queue
    // the browser has one of its own, which cannot be filled from here
    Object.defineProperty(globalThis, 'launchQueue', {
      value: {
        setConsumer(take: (launch: unknown) => void) {
          queue.consumer = take
        },
      },
    })
  })
  await page.goto('/')
  await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
  await expect
    .poll(() =>
      page.evaluate(
        () => (globalThis as unknown as { launched: { consumer?: unknown } }).launched.consumer !== undefined,
      ),
    )
    .toBe(true)
  await page.evaluate(async () => {
    const blob = await (await fetch('/demo/harbour-bell.wav')).blob()
    const handle = { getFile: async () => new File([blob], 'from the desktop.wav') }
    const { launched } = globalThis as unknown as { launched: { consumer(launch: unknown): void } }
    launched.consumer({ files: [handle] })
  })
  await choose(page, 'from the desktop')
})

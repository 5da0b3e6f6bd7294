import { expect, heardSince, listen, openSession, silencesIn, test, type } from './bench'

// the busy threads are made in the page, which lets in no script but its own
test.use({ bypassCSP: true })

/** threads that do nothing but take time, beside two cores */
const BUSY = 3
/**
 * Twice it may run dry until it writes further ahead, as a machine that rests for a moment makes it. A slow core makes it
 * so at each change. After that, far less than the machine keeps others waiting.
 */
const FIRST_MS = 750
const SHARE = 0.25

test('sound goes on while lanes are drawn and measured and the machine is busy with other things @listens', async ({
  page,
}, info) => {
  await openSession(page, 'Harmonium')
  await page.keyboard.press('2')
  await page.keyboard.press('Space')
  await listen(page, 0.5)
  await page.evaluate((busy) => {
    const worker = (script: string) => new Worker(URL.createObjectURL(new Blob([script], { type: 'text/javascript' })))
    for (let n = 0; n < busy; n++) worker('for (;;) {}')
    // a thread that asks for a turn every 5 ms, and notes how long it waited beyond that
    const watch = worker(`
      let last = performance.now()
      let waited = 0
      setInterval(() => {
        const now = performance.now()
        if (now - last > 25) waited += now - last - 5
        last = now
      }, 5)
      onmessage = () => postMessage(waited)`)
    Object.assign(globalThis, { watch })
  }, BUSY)
  const { total } = await heardSince(page, 0)
  for (const [field, value] of [
    ['Stretch', '1.4'],
    ['Semitones', '3'],
    ['Stretch', '0.8'],
    ['Semitones', '-2'],
    ['Stretch', '1.7'],
  ] as const) {
    await type(page.getByRole('spinbutton', { name: field }), value)
    await listen(page, 1.5)
  }
  const { samples, sampleRate } = await heardSince(page, total)
  const waitedMs = await page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        const { watch } = globalThis as unknown as { watch: Worker }
        watch.onmessage = ({ data }) => resolve(data as number)
        watch.postMessage(0)
      }),
  )
  const silentMs = silencesIn(samples).reduce((sum, { start, end }) => sum + (1000 * (end - start)) / sampleRate, 0)
  const description = `${silentMs.toFixed(0)} ms of silence in ${(samples.length / sampleRate).toFixed(1)} s; a thread beside it waited ${waitedMs.toFixed(0)} ms`
  info.annotations.push({ type: 'load', description })
  console.log(`    load: ${description}`)
  expect(samples.length).toBeGreaterThan(5 * sampleRate)
  expect(silentMs).toBeLessThanOrEqual(FIRST_MS + SHARE * waitedMs)
})

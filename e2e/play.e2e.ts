import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { choose, expect, heardSince, lateOf, listen, saved, sharedPart, test, type } from './bench'

const pads = (page: Page) => page.getByRole('region', { name: 'Pads' }).getByRole('button', { name: /^Pad / })
const pad = (page: Page, n: number) => page.getByRole('button', { name: new RegExp(`^Pad ${n},`) })
const tab = (page: Page, name: string) => page.getByRole('tab', { name, exact: true })
const onStrip = (page: Page) => page.getByRole('group', { name: 'On the strip' })
const number = (page: Page, name: string) => page.getByRole('spinbutton', { name, exact: true })

async function openPlay(page: Page, source = 'Harmonium') {
  await page.goto('/?keyboard')
  await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
  await choose(page, source)
  await page.keyboard.press('p')
  await expect(page.getByRole('region', { name: 'Strip' })).toBeVisible()
}

async function ready(page: Page, n: number) {
  await expect(pad(page, n)).toHaveAttribute('aria-busy', 'false', { timeout: 30_000 })
}

/** What a connected keyboard would send. */
const keyboard = (page: Page, ...messages: number[][]) =>
  page.evaluate((all) => {
    const { zumbetKeyboard } = globalThis as unknown as { zumbetKeyboard: (bytes: number[]) => void }
    for (const message of all) zumbetKeyboard(message)
  }, messages)

test('a pad is heard soon after its key, by the samples that went out @listens', async ({ page }, info) => {
  await openPlay(page)
  await ready(page, 1)
  // level and rise of their own would hide when it begins
  await pad(page, 1).focus()
  await type(number(page, 'Attack'), '0')
  await page.locator('body').click({ position: { x: 5, y: 5 } })
  await ready(page, 1)
  await listen(page, 0.5)
  const pressed = await page.evaluate(() => {
    const { zumbetOutput } = globalThis as unknown as { zumbetOutput: { heard(frames: number): { total: number } } }
    const { total } = zumbetOutput.heard(1)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '1', code: 'Digit1', bubbles: true }))
    return total
  })
  await listen(page, 0.6)
  await page.evaluate(() =>
    document.body.dispatchEvent(new KeyboardEvent('keyup', { key: '1', code: 'Digit1', bubbles: true })),
  )
  await listen(page, 1.5)
  const { samples, from } = await heardSince(page, pressed)
  const first = samples.findIndex((value) => value !== 0)
  const frames = from + first - pressed
  const description = `${((1000 * frames) / 48_000).toFixed(0)} ms from the key to the first sample`
  info.annotations.push({ type: 'pad', description })
  console.log(`    pad: ${description}`)
  expect(first).toBeGreaterThanOrEqual(0)
  // it was let go: silence again
  expect(samples.subarray(-4800).every((value) => value === 0)).toBe(true)
})

test('a take is, sample for sample, what was heard, as a file too; it stays, and is taken back by one step @listens', async ({
  page,
}) => {
  await openPlay(page)
  for (const n of [1, 2, 3, 4]) await ready(page, n)
  await page.keyboard.press('F3')
  await tab(page, 'Takes').click()
  await expect(page.getByRole('button', { name: /End the take/ })).toBeVisible()
  const before = (await heardSince(page, 0)).total
  await keyboard(page, [0x99, 36, 110], [0x99, 38, 90])
  await listen(page, 0.7)
  await keyboard(page, [0x89, 36, 0], [0x99, 37, 60])
  await listen(page, 0.5)
  await keyboard(page, [0x89, 37, 0], [0x89, 38, 0])
  await listen(page, 1.4)
  await page.keyboard.press('F3')
  const { samples } = await heardSince(page, before)
  await expect(page.getByRole('list', { name: 'Takes' }).getByText('3 notes')).toBeVisible()
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'File', exact: true }).click()
  const take = (await saved(await waiting)).audio.channels[0] as Float32Array
  const shared = sharedPart(samples, take)
  console.log(`    take: ${(100 * shared).toFixed(1)} % of what was heard, ${await lateOf(page)} late`)
  // of notes that came late, less than a tenth of a second each was not heard whole
  expect(shared).toBeGreaterThan(0.8)
  expect(take.length).toBeGreaterThan(60_000)
  await page.keyboard.press('Control+z')
  await expect(page.getByText(/No takes yet/)).toBeVisible()
})

test('what is struck in an overdub comes round again to the sample, and lies on the timeline as parts @listens', async ({
  page,
}) => {
  await openPlay(page)
  for (const n of [1, 3]) await ready(page, n)
  await tab(page, 'Takes').click()
  await type(number(page, 'Bars that go round'), '1')
  await page.locator('body').click({ position: { x: 5, y: 5 } })
  await page.keyboard.press('F4')
  // behind the bar of clicks alone
  await expect(page.getByText(/· time 1/)).toBeVisible()
  await keyboard(page, [0x99, 36, 110])
  await listen(page, 0.4)
  await keyboard(page, [0x89, 36, 0], [0x99, 38, 90])
  await listen(page, 0.3)
  await keyboard(page, [0x89, 38, 0])
  await expect(page.getByText('2 notes')).toBeVisible()
  await expect(page.getByText(/· time 4/)).toBeVisible()
  // two bars at 96 BPM and more; silence that a busy machine puts between is no sound
  const { samples } = await heardSince(page, (await heardSince(page, 0)).total - 330_000)
  const sound = samples.filter((value) => value !== 0)
  const pattern = sound.subarray(-2000)
  const starts = (at: number) => pattern.every((value, i) => sound[at + i] === value)
  let before = sound.length - 2 * pattern.length
  while (before >= 0 && !starts(before)) before--
  const round = sound.length - pattern.length - before
  console.log(`    overdub: once round has ${round} samples of sound`)
  // two notes of a third of a second, and how they die away
  expect(round).toBeGreaterThan(50_000)
  expect(before).toBeGreaterThanOrEqual(round - pattern.length)
  expect(sound.subarray(-round)).toEqual(sound.subarray(-2 * round, -round))
  await page.keyboard.press('F4')
  await expect(page.getByRole('list', { name: 'Takes' }).getByText('2 notes')).toBeVisible()
  await page.getByRole('list', { name: 'Takes' }).getByRole('button', { name: 'Timeline' }).click()
  await expect(page.getByRole('region', { name: 'Notices' })).toContainText('2 parts, one for each that plays it', {
    timeout: 40_000,
  })
  await expect(page.getByRole('list', { name: 'Sources' }).getByText('Take 1, A minor')).toBeVisible()
})

test('what is good is marked as it passes, named and moved, lies on a pad, and is there after a reload', async ({
  page,
}) => {
  await openPlay(page, 'Harbour bell')
  await onStrip(page).getByRole('button', { name: '40 ×' }).click()
  await onStrip(page).getByRole('radio', { name: 'Variant B' }).click()
  await page.keyboard.press('Space')
  await expect(page.getByRole('button', { name: 'Stop', exact: true })).toBeVisible()
  await listen(page, 0.6)
  await page.keyboard.press('[')
  await listen(page, 1)
  await page.keyboard.press(']')
  await expect(pads(page)).toHaveCount(5)
  await page.keyboard.press('Space')
  const name = page.getByRole('textbox', { name: 'Name of the pick' })
  await name.fill('Low hall')
  await expect(pad(page, 5)).toContainText('Low hall')
  const from = Number(await number(page, 'From').getAttribute('aria-valuenow'))
  const to = Number(await number(page, 'To').getAttribute('aria-valuenow'))
  expect(to - from).toBeGreaterThan(0.5)
  await type(number(page, 'To'), String(from + 3))
  await page.getByRole('radio', { name: 'loop' }).click()
  await ready(page, 5)
  await page.reload()
  await expect(pad(page, 5)).toContainText('Low hall')
  await pad(page, 5).focus()
  await expect.poll(async () => Number(await number(page, 'To').getAttribute('aria-valuenow'))).toBeCloseTo(from + 3, 2)
  await page.keyboard.press('Delete')
  await expect(pads(page)).toHaveCount(4)
  await page.keyboard.press('Control+z')
  await expect(pads(page)).toHaveCount(5)
})

test('moments are suggested, unlike each other; a sound is played over the keys by letters', async ({ page }) => {
  await openPlay(page, 'Foghorn and whistle')
  await page.getByRole('button', { name: 'Suggest picks' }).click()
  await type(number(page, 'How many'), '3')
  await type(number(page, 'Each'), '1')
  await page.getByRole('button', { name: 'Suggest them' }).click()
  await expect(pads(page)).toHaveCount(7)
  await expect(pad(page, 5)).toContainText('the most usual')
  await page.keyboard.press('Escape')
  await tab(page, 'Keys').click()
  await page.getByRole('button', { name: 'Put what is on the strip over the keys' }).click()
  await expect(page.getByRole('group', { name: 'Keys', exact: true })).toHaveAttribute('aria-busy', 'false', {
    timeout: 30_000,
  })
  await page.keyboard.press('F2')
  await expect(page.getByRole('checkbox', { name: /letters play/ })).toBeChecked()
  await page.locator('body').click({ position: { x: 5, y: 5 } })
  const before = (await heardSince(page, 0)).total
  await page.keyboard.down('g')
  await listen(page, 0.5)
  await page.keyboard.up('g')
  const { samples } = await heardSince(page, before)
  expect(samples.some((value) => Math.abs(value) > 0.01)).toBe(true)
  const rest = async () => (await heardSince(page, before)).samples.subarray(-2400)
  await expect.poll(async () => (await rest()).every((value) => value === 0)).toBe(true)
})

test("nothing of Play is in the way of anyone, by axe's rules, in either theme", async ({ page }) => {
  await openPlay(page)
  for (const theme of ['ink', 'paper'] as const) {
    if (theme === 'paper') await page.getByRole('button', { name: 'Change to Paper' }).click()
    for (const name of theme === 'ink' ? ['Keys', 'Filter', 'Takes'] : ['Imprint', 'Prepare']) {
      await tab(page, name).click()
      const { violations } = await new AxeBuilder({ page }).include('main').analyze()
      const told = violations.map((v) => `${name}, ${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`)
      expect(told).toEqual([])
    }
  }
})

/** Two notes of a MIDI file, one behind the other. */
const TUNE = Buffer.from(
  '4d54686400000006000000 0101e0 4d54726b00000016 00903c64 83608 03c00 00904064 83608 04000 00ff2f00'.replace(/ /g, ''),
  'hex',
)

test('a file of notes is a take on the shelf, heard by a plain tone, played by any pick', async ({ page }) => {
  await openPlay(page)
  await page.getByLabel('Sound files').setInputFiles({ name: 'Bell tune.mid', mimeType: 'audio/midi', buffer: TUNE })
  await expect(page.getByRole('list', { name: 'Takes' }).getByText('2 notes')).toBeVisible()
  const make = async () => {
    const waiting = page.waitForEvent('download')
    await page.getByRole('button', { name: 'File', exact: true }).click()
    return (await saved(await waiting)).audio.channels[0] as Float32Array
  }
  const plain = await make()
  expect(plain.length).toBeGreaterThanOrEqual(48_000)
  expect(plain.some((value) => Math.abs(value) > 0.05)).toBe(true)
  await page.getByLabel('Who plays Bell tune').selectOption({ label: 'C major' })
  const played = await make()
  expect(played.some((value) => Math.abs(value) > 0.05)).toBe(true)
  expect(played.slice(0, 20_000)).not.toEqual(plain.slice(0, 20_000))
})

test('hits are taken out and a filter is drawn; the file has it, and one step takes it back', async ({ page }) => {
  await openPlay(page, 'Rope winch')
  await tab(page, 'Prepare').click()
  await page.getByRole('button', { name: 'Take out', exact: true }).nth(1).click()
  await tab(page, 'Filter').click()
  await page.getByRole('button', { name: 'Low pass' }).click()
  const make = async () => {
    const waiting = page.waitForEvent('download')
    await page.getByRole('button', { name: /^Export the one/ }).click()
    return (await saved(await waiting)).audio.channels[0] as Float32Array
  }
  const shaped = await make()
  // what changes from sample to sample is what lies high
  const bright = (samples: Float32Array) => {
    let [steps, all] = [0, 0]
    for (let i = 1; i < samples.length; i++) {
      steps += ((samples[i] as number) - (samples[i - 1] as number)) ** 2
      all += (samples[i] as number) ** 2
    }
    return steps / all
  }
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  const plain = await make()
  expect(shaped.length).toBe(plain.length)
  expect(bright(shaped)).toBeLessThan(bright(plain) / 5)
  const peak = (samples: Float32Array) => samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0)
  expect(peak(shaped)).toBeLessThan(peak(plain) / 2)
})

test('the hand holds a place until it is let go, and one sound is imprinted on another @listens', async ({ page }) => {
  await openPlay(page)
  await page.keyboard.press('h')
  const strip = page.getByRole('region', { name: 'Strip' })
  const box = await strip.boundingBox()
  if (!box) throw new Error('no strip')
  await page.keyboard.press('F3')
  const before = (await heardSince(page, 0)).total
  await page.mouse.move(box.x + 0.2 * box.width, box.y + 120)
  await page.mouse.down()
  await listen(page, 0.8)
  await page.mouse.move(box.x + 0.6 * box.width, box.y + 120, { steps: 8 })
  await listen(page, 0.4)
  await page.mouse.up()
  await listen(page, 0.6)
  const { samples } = await heardSince(page, before)
  expect(samples.filter((value) => Math.abs(value) > 0.003).length).toBeGreaterThan(20_000)
  expect(samples.subarray(-2400).every((value) => value === 0)).toBe(true)
  // what was led is a take, and comes to what was heard
  await page.keyboard.press('F3')
  await tab(page, 'Takes').click()
  await expect(page.getByRole('button', { name: 'What is played in Take 1' })).toContainText('1 by hand')
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'File', exact: true }).click()
  const take = (await saved(await waiting)).audio.channels[0] as Float32Array
  const shared = sharedPart(samples, take)
  console.log(`    by hand: ${(100 * shared).toFixed(1)} % of what was heard, ${await lateOf(page)} late`)
  expect(shared).toBeGreaterThan(0.8)
  // arrow keys run the place, and the playhead stays where they let go
  const head = page.getByRole('slider', { name: 'Position in the result' })
  const was = Number(await head.getAttribute('aria-valuenow'))
  await page.locator('body').click({ position: { x: 5, y: 5 } })
  await page.keyboard.down('ArrowRight')
  await listen(page, 0.6)
  await page.keyboard.up('ArrowRight')
  await expect.poll(async () => Number(await head.getAttribute('aria-valuenow'))).toBeGreaterThan(was + 0.3)
  await tab(page, 'Imprint').click()
  await page.getByRole('button', { name: 'To the shelf' }).click()
  await expect(
    page.getByRole('list', { name: 'Sources' }).getByText('Rope winch on Harmonium', { exact: true }),
  ).toBeVisible({
    timeout: 40_000,
  })
})

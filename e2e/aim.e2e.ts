import type { Page } from '@playwright/test'
import { choose, drawn, expect, exportNow, heard, listen, openSession, test, type } from './bench'

const number = (page: Page, name: string) => page.getByRole('spinbutton', { name, exact: true })
const at = async (page: Page, name: string) => Number(await number(page, name).getAttribute('aria-valuenow'))
const known = (page: Page) => page.getByRole('group', { name: 'What is known' })
const fact = (page: Page, name: string) => known(page).getByRole('button', { name, exact: true })

test('a tempo is found, shown with its evidence, corrected, and stays corrected', async ({ page }) => {
  await openSession(page, 'Capstan')
  await expect(fact(page, 'Tempo')).toContainText('108 BPM')
  // the name says 120: that is shown, and asks
  await expect(fact(page, 'Tempo')).toContainText('?')
  await fact(page, 'Tempo').click()
  const evidence = page.getByRole('list', { name: 'Evidence of tempo' })
  await expect(evidence.getByRole('button', { name: /^120/ })).toContainText('not heard in the sound')
  await expect(page.getByText('the file says 120, the sound is 108')).toBeVisible()
  await page.getByRole('button', { name: '÷ 2' }).click()
  await expect(fact(page, 'Tempo')).toContainText('54 BPM')
  await expect(fact(page, 'Tempo')).toContainText('by hand')
  await page.keyboard.press('Escape')
  await page.reload()
  await expect(fact(page, 'Tempo')).toContainText('54 BPM')
  await page.keyboard.press('Control+z')
  await fact(page, 'Tempo').click()
  await page.getByRole('button', { name: 'As found' }).click()
  await expect(fact(page, 'Tempo')).toContainText('108 BPM')
})

test('a bare voice and a drone have no tempo, and one can be tapped', async ({ page }) => {
  await openSession(page, "Guide's line")
  await expect(fact(page, 'Tempo')).toContainText('no tempo')
  await expect(page.getByRole('button', { name: 'Click: off' })).toBeDisabled()
  await fact(page, 'Tempo').click()
  await expect(page.getByRole('button', { name: 'Tap T' })).toBeVisible()
  // the page's clock is moved by hand: how busy the machine is must not be tapped as well
  await page.evaluate(() => {
    const now = performance.now()
    performance.now = () => now
  })
  for (let n = 0; n < 5; n++) {
    await page.keyboard.press('t')
    await page.evaluate(() => {
      const next = performance.now() + 750
      performance.now = () => next
    })
  }
  await page.evaluate(() => Reflect.deleteProperty(performance, 'now'))
  await expect(page.getByText('5 taps, ± 0.0 %')).toBeVisible()
  await page.getByRole('button', { name: 'Use', exact: true }).click()
  await expect(fact(page, 'Tempo')).toContainText('by hand')
  expect(await at(page, 'Tempo by hand')).toBe(80)
})

test('a loop that hangs over is trimmed to whole bars, and the file is whole again with one undo', async ({ page }) => {
  await openSession(page, 'Chain rattle')
  await expect(fact(page, 'Bars')).toContainText('2 bars, +370 ms')
  await fact(page, 'Bars').click()
  await page.getByRole('button', { name: 'Trim to 2 bars' }).click()
  await page.keyboard.press('Escape')
  await expect(fact(page, 'Bars')).toHaveText('2 bars')
  await drawn(page)
  const file = await exportNow(page, 'A')
  expect(Math.abs((file.audio.channels[0]?.length as number) - 4.8 * 48_000)).toBeLessThan(48)
  await page.reload()
  await choose(page, 'Chain rattle')
  await expect(fact(page, 'Bars')).toHaveText('2 bars')
  await fact(page, 'Bars').click()
  await page.getByRole('button', { name: 'All of the file' }).click()
  await expect(fact(page, 'Bars')).toContainText('+370 ms')
})

test('sources that follow come to the session tempo together, and back with one undo', async ({ page }) => {
  await openSession(page)
  const follow = () => page.getByRole('region', { name: 'Aim' }).getByLabel('tempo')
  await expect(fact(page, 'Tempo')).toContainText('96 BPM')
  await follow().check()
  expect(await at(page, 'Stretch')).toBeCloseTo(1, 6)
  await choose(page, 'Chain rattle')
  await expect(fact(page, 'Tempo')).toContainText('100 BPM')
  await follow().check()
  expect(await at(page, 'Stretch')).toBeCloseTo(100 / 96, 4)
  await type(number(page, 'Session tempo'), '120')
  expect(await at(page, 'Stretch')).toBeCloseTo(100 / 120, 4)
  await choose(page, 'Rope winch')
  expect(await at(page, 'Stretch')).toBeCloseTo(96 / 120, 4)
  await choose(page, 'Hull knocks')
  expect(await at(page, 'Stretch')).toBe(1)
  await page.keyboard.press('Control+z')
  expect(await at(page, 'Session tempo')).toBe(96)
  await choose(page, 'Rope winch')
  expect(await at(page, 'Stretch')).toBeCloseTo(1, 6)
  await choose(page, 'Chain rattle')
  expect(await at(page, 'Stretch')).toBeCloseTo(100 / 96, 4)
})

test('five sources are transposed, the percussion among them is not, and all come back together', async ({ page }) => {
  await openSession(page)
  await expect(fact(page, 'Key')).toContainText('untuned')
  for (const name of ['Harmonium', 'Foghorn and whistle', "Guide's line", 'Gull']) {
    await choose(page, name)
    await expect(fact(page, 'Material')).toBeVisible()
  }
  await choose(page, 'Harmonium')
  for (const name of ['Rope winch', 'Foghorn and whistle', "Guide's line", 'Gull']) {
    await page
      .getByRole('list', { name: 'Sources' })
      .getByRole('button', { name: new RegExp(`^${name}`) })
      .first()
      .click({ modifiers: ['Control'] })
  }
  await type(number(page, 'Semitones for all chosen'), '3')
  await page.getByRole('button', { name: 'Transpose 4 of 5' }).click()
  await expect(page.getByText('left as they are, untuned: Rope winch').first()).toBeVisible()
  const pitches = async () => {
    const all: number[] = []
    for (const name of ['Harmonium', 'Foghorn and whistle', "Guide's line", 'Gull', 'Rope winch']) {
      await choose(page, name)
      all.push(await at(page, 'Semitones'))
    }
    return all
  }
  expect(await pitches()).toEqual([3, 3, 3, 3, 0])
  await page.keyboard.press('Control+z')
  expect(await pitches()).toEqual([0, 0, 0, 0, 0])
})

test('a line is fitted to six seconds of picture, and the gauge says how that will sound', async ({ page }) => {
  await openSession(page, "Guide's line")
  const gauge = page.getByRole('meter', { name: 'Natural range' })
  await expect(gauge).toHaveAttribute('aria-valuetext', 'natural, usual for single line')
  await page.getByRole('button', { name: 'Fit to picture' }).click()
  await type(number(page, 'Length of the slot'), '6')
  await page.getByRole('button', { name: 'Fill it' }).click()
  await expect(page.getByText('and ends with the slot')).toBeVisible()
  expect(await at(page, 'Length in seconds')).toBe(6)
  await type(number(page, 'Length of the slot'), '14')
  await page.getByRole('button', { name: 'Fill it' }).click()
  await expect(page.getByRole('status', { name: 'Reading' })).toContainText('clearly stretched')
  await type(number(page, 'Length of the slot'), '6')
  await page.getByRole('button', { name: 'Fill it' }).click()
  await page.keyboard.press('Escape')
  await drawn(page)
  expect((await exportNow(page, 'A')).audio.channels[0]).toHaveLength(288_000)
})

test('a stretch beyond what is natural offers the half-time reading', async ({ page }) => {
  await openSession(page)
  await expect(fact(page, 'Tempo')).toContainText('96 BPM')
  await type(number(page, 'Tempo of the result'), '180')
  await page.getByRole('button', { name: 'Half time: × 1.067' }).click()
  expect(await at(page, 'Tempo of the result')).toBeCloseTo(90, 2)
})

test('attacks and the first bar are corrected in the lanes, by keys too, and an undo takes each back', async ({
  page,
}) => {
  await openSession(page, 'Chain rattle')
  const attacks = page.getByRole('group', { name: 'Attacks' }).getByRole('button')
  await expect(attacks).toHaveCount(21)
  await attacks.nth(3).focus()
  await page.keyboard.press('Delete')
  await expect(attacks).toHaveCount(20)
  await page.getByRole('group', { name: 'Attacks' }).dblclick({ position: { x: 300, y: 6 } })
  await expect(attacks).toHaveCount(21)
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await expect(attacks).toHaveCount(21)
  const first = page.getByRole('slider', { name: 'First bar' })
  await first.focus()
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  expect(Number(await first.getAttribute('aria-valuenow'))).toBeCloseTo(0.02, 3)
})

test('the click falls on the beats of what is heard', { tag: '@listens' }, async ({ page }) => {
  await openSession(page, 'Rain on tin')
  await fact(page, 'Tempo').click()
  await type(number(page, 'Tempo by hand'), '120')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Click: off' }).click()
  await page.keyboard.press('0')
  const { total } = await heard(page, 1)
  await page.getByRole('button', { name: 'Play' }).click()
  await listen(page, 3)
  const { samples, sampleRate, total: now } = await heard(page, 18 * 48_000)
  const from = Math.max(0, samples.length - (now - total))
  // against the rain, a click shows in its own band: correlate with its tone over 5 ms
  const energy = (start: number, hz: number) => {
    let re = 0
    let im = 0
    for (let i = 0; i < 240; i++) {
      const value = samples[start + i] ?? 0
      re += value * Math.cos((2 * Math.PI * hz * i) / sampleRate)
      im += value * Math.sin((2 * Math.PI * hz * i) / sampleRate)
    }
    return Math.hypot(re, im)
  }
  let begins = from
  while (begins < samples.length && samples[begins] === 0) begins++
  const beats = [1, 2, 3, 4].map((n) => begins + Math.round(n * 0.5 * sampleRate))
  for (const beat of beats) {
    if (beat + 6000 > samples.length) continue
    const hz =
      (beat - begins) % sampleRate < 10 && Math.round((beat - begins) / (0.5 * sampleRate)) % 4 === 0 ? 1980 : 1320
    expect(energy(beat, hz)).toBeGreaterThan(3 * energy(beat + Math.round(0.2 * sampleRate), hz))
  }
})

test('the count of attacks opens how keenly they are listened for, and lets them all go', async ({ page }) => {
  await openSession(page, "Guide's line")
  const count = page.getByRole('button', { name: /^Attacks/ })
  const counted = async () => Number(/\d+/.exec((await count.textContent()) ?? '')?.[0])
  const before = await counted()
  expect(before).toBeGreaterThan(5)
  await count.click()
  const keen = page.getByRole('spinbutton', { name: 'Sensitivity for attacks' })
  await keen.fill('90')
  await keen.press('Enter')
  await expect.poll(counted).toBeGreaterThan(before)
  await page.getByRole('button', { name: 'As found' }).click()
  await expect.poll(counted).toBe(before)
  await page.getByRole('button', { name: 'Clear all' }).click()
  await expect.poll(counted).toBe(0)
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await expect.poll(counted).toBe(before)
})

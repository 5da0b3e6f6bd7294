import { readFileSync } from 'node:fs'
import { type AudioBlock, readWav, renderBlock } from '../src/core'
import { recipe } from '../src/core/testing/recipes'
import { cents, fitTone, rms } from '../src/core/testing/tone'
import {
  choose,
  drawn,
  expect,
  firstSound,
  follow,
  heard,
  heardSince,
  lateOf,
  listen,
  openBench,
  output,
  pickMethod,
  silencesIn,
  test,
  truth,
  type,
} from './bench'

const demo = (id: string): AudioBlock => {
  const file = truth().sounds.find((sound) => sound.id === id)?.file as string
  return readWav(readFileSync(`public/demo/${file}`), file).audio
}

/** What was heard with its silences taken out. */
function withoutSilences(samples: Float32Array): Float32Array {
  const silences = silencesIn(samples)
  return samples.filter((_, i) => !silences.some(({ start, end }) => i >= start && i < end))
}

/** How far it is from each sample to the next, but for the edges of silences. */
function* stepsOf(samples: Float32Array, silences: readonly { start: number; end: number }[]) {
  const edges = new Set(silences.flatMap(({ start, end }) => [start, end]))
  for (let at = 1; at < samples.length; at++)
    if (!edges.has(at)) yield { at, size: Math.abs((samples[at] as number) - (samples[at - 1] as number)) }
}

/** The largest step from sample to sample, but for those into silence and out of it. */
function largestStep(samples: Float32Array, silences: readonly { start: number; end: number }[] = []): number {
  let most = 0
  for (const { size } of stepsOf(samples, silences)) most = Math.max(most, size)
  return most
}

/** lanes are up to 1.2 times as steep as the source, and two of them that take turns √2 times that */
const STEEPEST = 2

/** How many places have larger steps than that; those right behind one another are one. */
function placesWithSteps(
  samples: Float32Array,
  silences: readonly { start: number; end: number }[],
  larger: number,
): number {
  let places = 0
  let last = Number.NEGATIVE_INFINITY
  for (const { at, size } of stepsOf(samples, silences)) {
    if (size < larger) continue
    if (at - last > 256) places++
    last = at
  }
  return places
}

test.afterEach(async ({ page }, info) => {
  // reported, never judged: how busy the machine is must not decide a test
  const { underruns, wayOutMs } = await output(page).catch(() => ({ underruns: -1, wayOutMs: -1 }))
  info.annotations.push({
    type: 'output',
    description: `${underruns} underruns, way out ${wayOutMs.toFixed(0)} ms`,
  })
  console.log(`    output: ${underruns} underruns, the way out takes ${wayOutMs.toFixed(0)} ms`)
})

test('what goes out of a lane is, sample for sample, what is exported', async ({ page }) => {
  await openBench(page)
  await page.getByRole('button', { name: 'Match loudness' }).click()
  const source = demo('rope-winch')
  let before = 0
  for (const [lane, id] of [
    [0, undefined],
    [1, 'splice'],
    [2, 'vocoder'],
    [3, 'grain'],
  ] as const) {
    await page.keyboard.press(String(lane))
    await page.keyboard.press('Home')
    await page.keyboard.press('Space')
    await listen(page, 1.2)
    await page.keyboard.press('Space')
    await listen(page, 0.1)
    const { samples, sampleRate, total } = await heardSince(page, before)
    before = total
    expect(sampleRate).toBe(48_000)
    const ideal = (id ? renderBlock(source, recipe(id, { stretch: 1.25 })) : source).channels[0] as Float32Array
    const { underruns } = await output(page)
    const { same, silent } = follow(samples, ideal, 40_000)
    expect(same, `lane ${lane}`).toBe(40_000)
    // silence of its own comes from a machine that was too busy, and from nothing else
    if (silent > 0) expect(underruns, `lane ${lane}: ${silent} silent samples`).toBeGreaterThan(0)
    expect(rms(samples.subarray(firstSound(samples), firstSound(samples) + 40_000))).toBeGreaterThan(0.03)
  }
})

test('a switch is heard soon after the key, by the samples that went out', async ({ page }, info) => {
  await openBench(page)
  await page.getByRole('button', { name: 'Match loudness' }).click()
  await page.keyboard.press('0')
  await page.keyboard.press('Space')
  await listen(page, 1)
  const pressed = await page.evaluate(() => {
    const { zumbetOutput } = globalThis as unknown as { zumbetOutput: { heard(frames: number): { total: number } } }
    const { total } = zumbetOutput.heard(1)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '2', code: 'Digit2', bubbles: true }))
    return total
  })
  await listen(page, 0.5)
  const { samples, from } = await heardSince(page, 0)
  const ideal = demo('rope-winch').channels[0] as Float32Array
  const { same, end } = follow(samples, ideal)
  const frames = from + end - pressed
  // the way from the worklet to the ear comes on top of it, and is the machine's own
  const description = `${((1000 * frames) / 48_000).toFixed(0)} ms from the key to the first sample that differs`
  info.annotations.push({ type: 'switch', description })
  console.log(`    switch: ${description}`)
  expect(same).toBeGreaterThan(24_000)
  expect(end).toBeLessThan(samples.length)
  expect(frames).toBeGreaterThan(0)
})

test('a setting of the heaviest method is heard soon after it is changed, by the samples that went out', async ({
  page,
}, info) => {
  await openBench(page)
  await page.getByRole('button', { name: 'Match loudness' }).click()
  await page.getByRole('button', { name: 'Variant B', exact: true }).click()
  await pickMethod(page, 'Method of variant', 'Three-layer')
  await drawn(page)
  await page.keyboard.press('Space')
  await listen(page, 2)
  const field = page.getByRole('spinbutton', { name: 'Noise', exact: true })
  await field.click()
  await field.fill('-60')
  const pressed = await page.evaluate(() => {
    const { zumbetOutput } = globalThis as unknown as { zumbetOutput: { heard(frames: number): { total: number } } }
    const { total } = zumbetOutput.heard(1)
    document.activeElement?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    return total
  })
  await listen(page, 1)
  const { samples, from } = await heardSince(page, 0)
  const ideal = renderBlock(demo('rope-winch'), recipe('layered', { stretch: 1.25 })).channels[0] as Float32Array
  const { same, end } = follow(samples, ideal)
  const frames = from + end - pressed
  const description = `${((1000 * frames) / 48_000).toFixed(0)} ms from Enter to the first sample that differs`
  info.annotations.push({ type: 'setting', description })
  console.log(`    setting: ${description}`)
  // what had gone out before it was changed is what the method makes, to the sample
  expect(same).toBeGreaterThan(48_000)
  expect(end).toBeLessThan(samples.length)
  expect(frames).toBeGreaterThan(0)
})

test('switching lanes while it plays leaves no gap and no step, and keeps the place', async ({ page }) => {
  await openBench(page, 'Harmonium')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '1.3')
  await drawn(page)
  await page.keyboard.press('Space')
  await listen(page, 0.6)
  const clock = page.getByRole('slider', { name: 'Playhead' })
  let before = Number(await clock.getAttribute('aria-valuenow'))
  for (const key of ['2', '0', '1', '3', '2']) {
    await page.keyboard.press(key)
    await expect(
      page.getByRole('group', { name: 'Heard lane' }).getByRole('button', { pressed: true }),
    ).toHaveAttribute('title', new RegExp(`\\(${key}\\)`))
    await listen(page, 0.35)
    const now = Number(await clock.getAttribute('aria-valuenow'))
    expect(now).toBeGreaterThan(before)
    before = now
  }
  const { samples } = await heard(page, 2 * 48_000)
  const { underruns } = await output(page)
  const source = demo('harmonium').channels[0] as Float32Array
  // each silence was counted by the output when it ran dry: a switch makes none
  const silences = silencesIn(samples)
  expect(silences.length).toBeLessThanOrEqual(underruns)
  // each step was counted as a change that the output had taken the start of: it steps there, and where it is mended
  const late = await lateOf(page)
  console.log(`    switch: ${late} changes late`)
  expect(placesWithSteps(samples, silences, STEEPEST * largestStep(source))).toBeLessThanOrEqual(2 * late)
  for (let at = 0; at + 4800 < samples.length; at += 2400)
    expect(rms(samples.subarray(at, at + 4800))).toBeGreaterThan(0.01)
})

test('with matched loudness every lane goes out equally loud; without, as it is', async ({ page }) => {
  await openBench(page, 'Rain on tin')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2')
  await drawn(page)
  const levels: number[] = []
  await page.keyboard.press('Space')
  for (const key of ['0', '1', '2', '3']) {
    await page.keyboard.press(key)
    await listen(page, 0.4)
    levels.push(20 * Math.log10(rms(await listen(page, 1))))
  }
  // steady noise: its level says its loudness; the rain itself breathes by a dB
  expect(Math.max(...levels) - Math.min(...levels)).toBeLessThan(2)
  const note = page.getByRole('button', { name: 'Hear variant B, Three-layer' })
  await expect(note.getByTitle(/as loud/)).toHaveText(/^[+−]\d/)
  await page.getByRole('button', { name: 'Match loudness' }).click()
  await expect(note.getByTitle(/as loud/)).toHaveCount(0)
})

test('a change of pitch or length while it plays is heard, without a gap, at the new pitch', async ({ page }) => {
  await openBench(page, 'Harbour bell')
  await page.keyboard.press('2')
  await page.keyboard.press('Space')
  await listen(page, 1)
  await type(page.getByRole('spinbutton', { name: 'Semitones' }), '5')
  await listen(page, 0.3)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2.5')
  await listen(page, 0.3)
  const samples = await listen(page, 0.8)
  // the prime of the bell, 392 Hz, five semitones up; it is a pair of partials half a Hz apart
  const wanted = 392 * 2 ** (5 / 12)
  expect(Math.abs(cents(fitTone(samples.subarray(0, 24_000), 48_000, wanted).hz, wanted))).toBeLessThan(8)
  const { samples: last } = await heard(page, 90_000)
  expect(silencesIn(last).length).toBeLessThanOrEqual((await output(page)).underruns)
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
})

test('a loop drawn in the lanes comes round, and stays inside its ends', async ({ page }) => {
  await openBench(page, 'Foghorn and whistle')
  const lanes = page.getByRole('img', { name: 'Waveform of the reference' })
  const box = (await lanes.boundingBox()) as { x: number; y: number; width: number; height: number }
  await page.mouse.move(box.x + box.width * 0.3, box.y + 30)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width * 0.33, box.y + 40, { steps: 4 })
  await page.mouse.move(box.x + box.width * 0.35, box.y + 40, { steps: 4 })
  await page.mouse.up()
  const start = page.getByRole('spinbutton', { name: 'Loop start' })
  const end = page.getByRole('spinbutton', { name: 'Loop end' })
  await type(start, '3.5')
  await type(end, '3.9')
  await expect(start).toHaveAttribute('aria-valuenow', '3.5')
  await page.getByRole('button', { name: 'Match loudness' }).click()
  await page.getByRole('button', { name: 'Play' }).click()
  await listen(page, 1.6)
  const playhead = page.getByRole('slider', { name: 'Playhead' })
  for (let n = 0; n < 10; n++) {
    const at = Number(await playhead.getAttribute('aria-valuenow'))
    expect(at).toBeGreaterThanOrEqual(3.49)
    expect(at).toBeLessThanOrEqual(3.91)
    await page.waitForTimeout(40)
  }
  const { samples } = await heard(page, 6 * 19_200)
  // silence that a busy machine put between loses none of what is round it
  const sound = withoutSilences(samples)
  expect(sound.length).toBeGreaterThan(3 * 19_200)
  const [one, other] = [sound.subarray(-2 * 19_200, -19_200), sound.subarray(-19_200)]
  expect(one.reduce((most, value, i) => Math.max(most, Math.abs(value - (other[i] as number))), 0)).toBeLessThan(1e-4)
  expect(rms(samples)).toBeGreaterThan(0.01)
})

test('stops at the end without a loop, and a source of another rate plays at its own', async ({ page }) => {
  await openBench(page, 'Gull')
  await page.keyboard.press('l')
  await page.keyboard.press('Space')
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Play' })).toBeVisible({ timeout: 20_000 })
  await page.getByLabel('Sound files').setInputFiles('e2e/fixtures/gull.flac')
  await choose(page, 'gull')
  await page.keyboard.press('l')
  await page.keyboard.press('Space')
  await listen(page, 0.5)
  expect((await heard(page, 10)).sampleRate).toBe(44_100)
})

import { readFileSync } from 'node:fs'
import { AxeBuilder } from '@axe-core/playwright'
import { type Download, expect, type Locator, type Page, test as plain } from '@playwright/test'
import { type AudioBlock, readWav } from '../src/core'

/** Each test fails when the page reports an error of its own, a blocked script or style among them. */
export const test = plain.extend<{ complaints: string[] }>({
  complaints: [
    async ({ page }, use) => {
      const complaints: string[] = []
      page.on('pageerror', (error) => complaints.push(error.message))
      page.on('console', (message) => {
        if (message.type() === 'error') complaints.push(message.text())
      })
      await use(complaints)
      expect(complaints).toEqual([])
    },
    { auto: true },
  ],
})
export { expect }

/** Open the bench and wait until every lane of the selected source has been drawn. */
export async function openBench(page: Page, source?: string) {
  await openSession(page, source)
  await drawn(page)
}

/** Open the bench, for what does not look at variants: their drawing may go on. */
export async function openSession(page: Page, source?: string) {
  await page.goto('/')
  await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
  if (source) await choose(page, source)
}

/** A sound so short that trying something forty times over is soon done: one call of the gull. */
export const CALL = { file: 'e2e/fixtures/gull.flac', seconds: 0.6, sampleRate: 44_100 } as const

export async function openCall(page: Page) {
  await openSession(page)
  await page.getByLabel('Sound files').setInputFiles(CALL.file)
  await choose(page, 'gull')
  // its kind, once known, chooses the lanes
  await expect(
    page.getByRole('group', { name: 'What is known' }).getByRole('button', { name: 'Attacks' }),
  ).toBeVisible()
}

export async function choose(page: Page, source: string) {
  await page
    .getByRole('list', { name: 'Sources' })
    .getByRole('button', { name: new RegExp(`^${source}`) })
    .first()
    .click()
  await expect(page.getByRole('main').getByRole('heading', { name: source, exact: true })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Play' })).toBeEnabled()
}

export async function drawn(page: Page) {
  await expect(page.getByRole('button', { name: 'Play' }).or(page.getByRole('button', { name: 'Stop' }))).toBeEnabled()
  // renders begin a moment after what asked for them, and after what they need to know of the sound
  await page.waitForTimeout(250)
  await expect(page.getByRole('progressbar', { name: /^Rendering/ })).toHaveCount(0, { timeout: 60_000 })
}

/** Take a method from the menu that this button opens. */
export async function pickMethod(page: Page, button: string, method: string) {
  await page.getByRole('button', { name: button }).click()
  await page.getByRole('menuitemradio', { name: method }).click()
  await expect(page.getByRole('menu')).toHaveCount(0)
}

/** Type into a number as a person does. */
export async function type(field: Locator, text: string) {
  await field.click()
  await field.fill(text)
  await field.press('Enter')
}

interface Output {
  heard(frames: number): { sampleRate: number; channels: [Float32Array, Float32Array]; total: number }
  underruns(): number
  wayOutMs(): number
}

/** The last `frames` frames that went to the output, left channel. */
export async function heard(
  page: Page,
  frames: number,
): Promise<{ samples: Float32Array; sampleRate: number; total: number }> {
  const packed = await page.evaluate((count) => {
    const { zumbetOutput } = globalThis as unknown as { zumbetOutput: Output }
    const { sampleRate, channels, total } = zumbetOutput.heard(count)
    const bytes = new Uint8Array(channels[0].buffer)
    let text = ''
    for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192))
    return { text: btoa(text), sampleRate, total }
  }, frames)
  const bytes = Buffer.from(packed.text, 'base64')
  const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  return { samples, sampleRate: packed.sampleRate, total: packed.total }
}

/**
 * All that went to the output from a frame on, by its own count. One question asks for it all: sound goes on between
 * two questions.
 */
export async function heardSince(
  page: Page,
  frame: number,
): Promise<{ samples: Float32Array; from: number; total: number; sampleRate: number }> {
  const { samples, sampleRate, total } = await heard(page, 2 ** 20)
  const from = Math.max(frame, total - samples.length)
  return { samples: samples.subarray(from - (total - samples.length)), from, total, sampleRate }
}

/** How far what was heard is what it should be, where a busy machine may have put silence between. */
export interface Followed {
  /** samples of the ideal that were heard, one after the other, before the first that differs */
  readonly same: number
  /** where in what was heard the first one lies that differs */
  readonly end: number
  /** samples of silence that the ideal does not have */
  readonly silent: number
}

/**
 * What was heard is followed along what it should be. Running dry puts silence between two samples and loses none. That
 * silence is passed over and counted: a busy machine is no reason to compare nothing.
 */
export function follow(samples: Float32Array, ideal: Float32Array, frames = ideal.length): Followed {
  let same = firstSound(ideal)
  let at = firstSound(samples)
  let silent = 0
  while (same < frames && at < samples.length) {
    if (samples[at] === ideal[same]) same++
    else if (samples[at] === 0) silent++
    else break
    at++
  }
  return { same, end: at, silent }
}

export async function output(page: Page): Promise<{ underruns: number; wayOutMs: number }> {
  return page.evaluate(() => {
    const { zumbetOutput } = globalThis as unknown as { zumbetOutput: Output }
    return { underruns: zumbetOutput.underruns(), wayOutMs: zumbetOutput.wayOutMs() }
  })
}

/** Let this much sound go out, by the output's own count: a slow machine only takes longer. */
export async function listen(page: Page, seconds: number): Promise<Float32Array> {
  const { total, sampleRate } = await heard(page, 1)
  const rate = sampleRate || 48_000
  await expect
    .poll(async () => (await heard(page, 1)).total - total, { timeout: 30_000, intervals: [50] })
    .toBeGreaterThan(seconds * rate)
  return (await heard(page, Math.round(seconds * rate))).samples
}

/** three silent samples in a row are no zero that a sound passes through */
const SILENT_FROM = 3

/** Notes and changes whose start the output had taken before it was laid. */
export const lateOf = (page: Page): Promise<number> =>
  page.evaluate(() => (globalThis as unknown as { zumbetOutput: { late(): number } }).zumbetOutput.late())

/** frames that are looked for in one go, and how far silence may have moved them, in quanta of the output */
const SHARED_FRAMES = 512
const MOST_MOVED = 64
const QUANTUM = 128

/**
 * How much of what was heard is, block by block and in its order, what it should be: 1 where all is.
 * A machine that is too busy puts silence between, or misses how a note begins; neither hides the rest.
 * Blocks of silence tell nothing and are left out.
 */
export function sharedPart(samples: Float32Array, ideal: Float32Array): number {
  const same = (at: number, place: number) => {
    for (let i = 0; i < SHARED_FRAMES; i++) if (samples[at + i] !== ideal[place + i]) return false
    return true
  }
  let moved: number | undefined
  let [blocks, found] = [0, 0]
  for (let at = 0; at + SHARED_FRAMES <= samples.length; at += SHARED_FRAMES) {
    if (samples.subarray(at, at + SHARED_FRAMES).every((value) => value === 0)) continue
    blocks++
    const tries =
      moved === undefined
        ? Array.from({ length: ideal.length }, (_, place) => place - at)
        : Array.from({ length: MOST_MOVED }, (_, n) => (moved as number) - n * QUANTUM)
    const by = tries.find((one) => same(at, at + one))
    if (by === undefined) continue
    moved = by
    found++
  }
  return blocks === 0 ? 0 : found / blocks
}

/** The runs of whole silence inside what was heard: where each begins and ends. */
export function silencesIn(samples: Float32Array): { start: number; end: number }[] {
  const runs: { start: number; end: number }[] = []
  let start = 0
  for (let i = 0; i <= samples.length; i++) {
    if (samples[i] === 0) continue
    if (i - start >= SILENT_FROM) runs.push({ start, end: i })
    start = i + 1
  }
  return runs
}

/** Where the sound begins: the first frame that is not silent. */
export function firstSound(samples: Float32Array): number {
  return samples.findIndex((value) => value !== 0)
}

export async function saved(
  download: Download,
): Promise<{ name: string; bytes: Buffer; audio: AudioBlock; depth: string }> {
  const bytes = readFileSync((await download.path()) as string)
  const { audio, depth } = readWav(bytes, download.suggestedFilename())
  return { name: download.suggestedFilename(), bytes, audio, depth: `${depth?.bits}${depth?.float ? 'f' : ''}` }
}

export async function exportNow(page: Page, letter: string, format?: string) {
  if (format) await page.getByLabel('Depth of the file').selectOption({ label: format })
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: `Export ${letter}` }).click()
  return saved(await waiting)
}

export const truth = (): {
  sounds: { id: string; file: string; seconds: number; notes?: { start: number; end: number; hz: number }[] }[]
} => JSON.parse(readFileSync('public/demo/truth.json', 'utf8'))

/** All of axe's rules in the first theme; in the other one those of colour, which alone can differ. */
export const inTheme = (axe: AxeBuilder, theme: number) => (theme === 0 ? axe : axe.withRules(['color-contrast']))

/** What is shown is in nobody's way, by axe's rules, in either theme. */
export async function expectOpenToAll(page: Page) {
  for (let theme = 0; theme < 2; theme++) {
    const { violations } = await inTheme(new AxeBuilder({ page }).include('main'), theme).analyze()
    expect(violations.map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html).join(' ')}`)).toEqual([])
    await page
      .getByRole('button', { name: /theme|Ink|Paper/ })
      .first()
      .click()
  }
}

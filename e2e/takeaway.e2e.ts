import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Download, Page } from '@playwright/test'
import { unzipSync } from 'fflate'
import { type AudioBlock, frameCount } from '../src/core'
import { createLoudnessMeter } from '../src/core/measure/loudness'
import { decodeFile } from '../src/host/decodeFile'
import { CALL, choose, drawn, expect, expectOpenToAll, exportNow, openCall, openSession, test } from './bench'
import { written } from './stored'

const what = (page: Page) => page.getByRole('region', { name: 'What', exact: true })
const queue = (page: Page) => page.getByRole('list', { name: 'Queue' })
const bytesOf = async (download: Download) => readFileSync((await download.path()) as string)
const soundOf = async (download: Download) => decodeFile(await bytesOf(download), download.suggestedFilename())

/** Go to Export by its key, with one sound on the shelf that is soon rendered, and tick some of it. */
async function openExport(page: Page, ...names: string[]) {
  await openCall(page)
  await page.keyboard.press('o')
  await expect(page.getByRole('heading', { name: 'Export', exact: true })).toBeVisible()
  for (const name of names)
    await what(page)
      .getByRole('checkbox', { name: `gull: ${name}`, exact: true })
      .check()
}

/** The files that come while something is done, so many of them. */
async function filesFrom(page: Page, count: number, act: () => Promise<void>): Promise<Download[]> {
  const files: Download[] = []
  const all = new Promise<void>((resolve) => {
    page.on('download', (file) => {
      files.push(file)
      if (files.length === count) resolve()
    })
  })
  await act()
  await all
  return files
}
const begin = (page: Page) => page.getByRole('button', { name: /^Export \d+ files?$/ }).click()

const loudness = (audio: AudioBlock) => {
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  meter.add(audio.channels, frameCount(audio))
  return meter.finish()
}

test('what is ticked becomes files of the chosen kind, under the names that were shown, bit for bit what the command makes', async ({
  page,
}) => {
  await openExport(page, 'A', 'B')
  await page.getByRole('checkbox', { name: 'A recipe beside each file' }).check()
  const shown = page.getByRole('list', { name: 'Names of the files' }).getByRole('listitem')
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-e2e-'))
  let made = 0
  try {
    // every kind of file has a writer of its own, which has to run in the page too
    for (const [label, ending, letters] of [
      ['FLAC', 'flac', 2],
      ['MP3', 'mp3', 1],
      ['M4A', 'm4a', 1],
      ['Opus', 'opus', 1],
    ] as const) {
      await page.getByRole('radio', { name: label }).click()
      if (letters === 1) await what(page).getByRole('checkbox', { name: 'gull: B', exact: true }).uncheck()
      await expect(shown).toHaveCount(letters)
      const names = await shown.allTextContents()
      expect(names.every((name) => name.endsWith(`.${ending}`))).toBe(true)
      const files = await filesFrom(page, 2 * letters, () => begin(page))
      expect(files.map((file) => file.suggestedFilename()).sort()).toEqual(
        names.flatMap((name) => [name, `${name}.json`]).sort(),
      )
      made += letters
      await expect(queue(page).getByRole('listitem', { name: /: done$/ })).toHaveCount(made)
      for (const name of names) {
        const [sound, recipe] = [name, `${name}.json`].map((one) =>
          files.find((file) => file.suggestedFilename() === one),
        )
        const [asked, again] = [join(folder, 'recipe.json'), join(folder, `again.${ending}`)]
        writeFileSync(asked, await bytesOf(recipe as Download))
        execFileSync(process.execPath, ['bin/zumbet.mjs', 'render', CALL.file, again, '--recipe', asked])
        expect((await bytesOf(sound as Download)).equals(readFileSync(again)), name).toBe(true)
      }
    }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

test('an M4A file comes back into the page as long to the frame, each frame at its place', async ({ page }) => {
  await openExport(page, 'A')
  await page.getByRole('radio', { name: 'M4A' }).click()
  const [file] = await filesFrom(page, 1, () => begin(page))
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-e2e-'))
  try {
    const path = join(folder, 'come again.m4a')
    writeFileSync(path, await bytesOf(file as Download))
    await page.getByLabel('Sound files').setInputFiles(path)
    await page.keyboard.press('b')
    await choose(page, 'come again')
    await drawn(page)
    const { audio } = await exportNow(page, 'A')
    const { audio: source } = await decodeFile(readFileSync(CALL.file), CALL.file)
    const [back, first] = [audio.channels[0], source.channels[0]] as [Float32Array, Float32Array]
    expect(back.length).toBe(first.length)
    const alike = (lag: number) => {
      let sum = 0
      for (let i = 5000; i < 20_000; i++) sum += (first[i] as number) * (back[i + lag] as number)
      return sum
    }
    const lags = Array.from({ length: 41 }, (_, n) => n - 20)
    expect(lags.reduce((best, lag) => (alike(lag) > alike(best) ? lag : best))).toBe(0)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

test('a loudness is reached, in one channel, with silence behind, as a WAV file that says what it is', async ({
  page,
}) => {
  await openExport(page, 'A')
  await page.getByRole('combobox', { name: 'Level' }).selectOption('to a loudness')
  await page.getByRole('radio', { name: 'one', exact: true }).click()
  await page.getByRole('spinbutton', { name: 'Silence after' }).fill('1')
  await page.keyboard.press('Enter')
  const [file] = await filesFrom(page, 1, () => begin(page))
  const { audio } = await soundOf(file as Download)
  expect(audio.channels).toHaveLength(1)
  const source = Math.round(CALL.seconds * CALL.sampleRate)
  expect(frameCount(audio)).toBe(source + CALL.sampleRate)
  expect(Math.max(...(audio.channels[0] as Float32Array).slice(source).map(Math.abs))).toBe(0)
  expect(loudness(audio)).toBeCloseTo(-16, 0)
  await expect(queue(page)).toContainText('−16.0 LUFS')
  expect((await bytesOf(file as Download)).toString('latin1')).toContain('"methodId"')
})

test('all of it goes into one zip; what is waiting can be moved and given up, and made after all', async ({ page }) => {
  await openExport(page, 'A', 'B', 'C')
  await page.getByRole('radio', { name: 'one zip' }).click()
  await page.getByRole('textbox', { name: 'Pattern of names' }).fill('{n} {what}')
  const [zip] = await filesFrom(page, 1, () => begin(page))
  const inside = unzipSync(new Uint8Array(await bytesOf(zip as Download)))
  expect(Object.keys(inside).sort()).toEqual(['01-A.wav', '02-B.wav', '03-C.wav'])
  await page.getByRole('button', { name: 'Clear what is done' }).click()

  // a long one first, so that the others wait
  await what(page).getByRole('checkbox', { name: 'Timeline: The mix' }).check()
  await page.getByRole('radio', { name: 'downloads' }).click()
  await begin(page)
  const waiting = queue(page).getByRole('listitem', { name: /: waiting$/ })
  await expect(waiting).toHaveCount(3)
  await waiting
    .last()
    .getByRole('button', { name: /sooner$/ })
    .click()
  await expect(waiting.nth(1)).toContainText('04-C.wav')
  await waiting
    .nth(1)
    .getByRole('button', { name: /^Cancel/ })
    .click()
  await expect(queue(page).getByRole('listitem', { name: '04-C.wav: cancelled' })).toBeVisible()
  const running = queue(page).getByRole('listitem', { name: /: running$/ })
  const files = filesFrom(page, 3, async () => {
    await running.getByRole('button', { name: /^Cancel/ }).click()
    await queue(page).getByRole('button', { name: 'Try 04-C.wav again' }).click()
  })
  expect((await files).map((file) => file.suggestedFilename()).sort()).toEqual(['02-A.wav', '03-B.wav', '04-C.wav'])
  await expect(queue(page).getByRole('listitem', { name: '01.wav: cancelled' })).toBeVisible()
})

test('a chosen folder takes the files, also after a reload; what cannot be written is told of and can be tried again', async ({
  page,
}) => {
  // the picker cannot be shown here: a folder of the browser's own stands in for one of the computer's
  await page.addInitScript(() => {
    window.showDirectoryPicker = async () =>
      (await navigator.storage.getDirectory()).getDirectoryHandle('taken away', { create: true })
  })
  await openExport(page, 'A')
  await page.getByRole('radio', { name: 'a folder' }).click()
  await begin(page)
  await expect(queue(page).getByRole('listitem', { name: /: done$/ })).toContainText('taken away')
  const listed = () =>
    page.evaluate(async () => {
      const folder = await (await navigator.storage.getDirectory()).getDirectoryHandle('taken away')
      const sizes: Record<string, number> = {}
      for await (const [name, handle] of folder as unknown as AsyncIterable<[string, FileSystemFileHandle]>)
        sizes[name] = (await handle.getFile()).size
      return sizes
    })
  const first = await listed()
  expect(Object.keys(first)).toHaveLength(1)
  expect(Object.values(first)[0]).toBeGreaterThan(CALL.seconds * CALL.sampleRate * 2)

  await written(page, '"to":"folder"', { table: 'outlooks' })
  await page.reload()
  await expect(page.getByRole('heading', { name: 'Export', exact: true })).toBeVisible()
  await page.evaluate(() => {
    window.showDirectoryPicker = async () => {
      throw new Error('it was asked for again')
    }
  })
  await page.getByRole('radio', { name: 'Opus' }).click()
  await begin(page)
  await expect(queue(page).getByRole('listitem', { name: /: done$/ })).toContainText('taken away')
  expect(Object.keys(await listed()).filter((name) => name.endsWith('.opus'))).toHaveLength(1)

  await page.evaluate(() => {
    const { getFileHandle } = FileSystemDirectoryHandle.prototype
    FileSystemDirectoryHandle.prototype.getFileHandle = async function (...given) {
      if (this.name === 'taken away') throw new DOMException('The disk was taken out.', 'NotFoundError')
      return getFileHandle.apply(this, given)
    }
  })
  await begin(page)
  await expect(queue(page).getByRole('alert')).toContainText('The disk was taken out')
})

test('a recipe is copied, pasted on another source and dropped on one, each in one step', async ({ page }) => {
  await openSession(page)
  const percent = page.getByRole('spinbutton', { name: 'Length in per cent' }).first()
  await page.keyboard.press('Control+c')
  await expect(page.getByText('The recipe of A is copied').first()).toBeVisible()
  await choose(page, 'Harmonium')
  const lanes = page.getByRole('group', { name: 'Heard lane' }).getByRole('button', { name: /^Variant/ })
  const before = await lanes.count()
  await page.keyboard.press('Control+v')
  await expect(page.getByText('is tried on Harmonium').first()).toBeVisible()
  await expect(lanes).toHaveCount(before + 1)
  await page.keyboard.press('Control+z')
  await expect(lanes).toHaveCount(before)

  await page
    .getByRole('list', { name: 'Sources' })
    .getByRole('button', { name: /^Gull/ })
    .drop({
      files: {
        name: 'far.json',
        mimeType: 'application/json',
        buffer: Buffer.from(JSON.stringify({ methodId: 'drift', stretch: 12 })),
      },
    })
  await expect(page.getByText('Spectral drift is tried on Gull').first()).toBeVisible()
  await choose(page, 'Gull')
  await expect(percent).toHaveValue(/1200/)
})

test('settings are kept under a name, over a reload; a pattern says which word stands for nothing', async ({
  page,
}) => {
  await openSession(page)
  await page.getByRole('link', { name: 'Export' }).click()
  await page.getByRole('radio', { name: 'MP3' }).click()
  await page.getByRole('combobox', { name: 'Bit rate' }).selectOption('320 kbit/s')
  await page.getByRole('button', { name: 'Keep as a preset' }).click()
  await page.getByRole('textbox', { name: 'Name of the preset' }).fill('For the guide')
  await page.keyboard.press('Enter')
  await page.getByRole('radio', { name: 'WAV' }).click()
  await written(page, 'For the guide', { table: 'outlooks' })
  await page.reload()
  await page.getByRole('combobox', { name: 'Preset' }).selectOption('For the guide')
  await expect(page.getByRole('radio', { name: 'MP3' })).toBeChecked()
  await expect(page.getByRole('combobox', { name: 'Bit rate' })).toHaveValue('320')
  await page.getByRole('textbox', { name: 'Pattern of names' }).fill('{source} {tempo}')
  await expect(page.getByRole('alert')).toContainText('{tempo} stands for nothing')
})

test('nothing of Export is in the way of anyone, by axe’s rules, in either theme', async ({ page }) => {
  await openExport(page, 'A')
  await page.getByRole('combobox', { name: 'Level' }).selectOption('to a loudness')
  await page.getByRole('combobox', { name: 'Rate' }).selectOption('another')
  await begin(page)
  await expect(queue(page).getByRole('listitem', { name: /: done$/ })).toHaveCount(1)
  await expectOpenToAll(page)
})

test('a section’s stem is that part of the whole stem, sample for sample; the tempo and the cue sheet go along', async ({
  page,
}) => {
  await openSession(page)
  await page.keyboard.press('o')
  await page.getByRole('group', { name: 'Ebb' }).getByText('its mix, stems and click').click()
  for (const name of ['Timeline: Bell', 'Ebb: Bell']) await page.getByRole('checkbox', { name, exact: true }).check()
  const files = await filesFrom(page, 2, () => begin(page))
  const [whole, part] = await Promise.all(files.map(soundOf))
  const text = async (button: string) => {
    const waiting = page.waitForEvent('download')
    await page.getByRole('button', { name: button, exact: true }).click()
    return (await bytesOf(await waiting)).toString('latin1')
  }
  const sheet = await text('Cue sheet')
  const [, from = '', lasts = ''] =
    /<th>Ebb<\/th>(?:<td>[^<]*<\/td>){2}<td>([^<]*)<\/td><td>([^<]*)<\/td>/.exec(sheet) ?? []
  const seconds = (time: string) => time.split(':').reduce((sum, one) => 60 * sum + Number(one), 0)
  const samples = (sound: typeof part) => sound?.audio.channels[0] as Float32Array
  const rate = part?.audio.sampleRate as number
  expect(samples(part).length / rate).toBeCloseTo(seconds(lasts), 0)
  // the sheet tells tenths of a second
  const near = Math.round(seconds(from) * rate)
  const bytes = (of: Float32Array) => Buffer.from(of.buffer, of.byteOffset, of.byteLength)
  const isThere = (first: number) => {
    const length = Math.min(samples(part).length, samples(whole).length - first)
    return bytes(samples(whole).subarray(first, first + length)).equals(bytes(samples(part).subarray(0, length)))
  }
  expect(samples(part).some((value) => value !== 0)).toBe(true)
  expect(Array.from({ length: rate / 5 }, (_, n) => near - rate / 10 + n).some(isThere)).toBe(true)
  const midi = await text('Tempo as MIDI')
  expect(midi.startsWith('MThd')).toBe(true)
  expect(midi).toContain('Ebb')
})

test('pads, and a sound over the keys, become an instrument: samples, each at its key, and the text that plays them', async ({
  page,
}) => {
  await openSession(page)
  await page.keyboard.press('o')
  const instrument = async (button: string) => {
    const waiting = page.waitForEvent('download')
    await page.getByRole('button', { name: button, exact: true }).click()
    const entries = unzipSync(await bytesOf(await waiting))
    const name = Object.keys(entries).find((one) => one.endsWith('.sfz')) as string
    const regions = new TextDecoder()
      .decode(entries[name])
      .split('\n')
      .filter((line) => line.startsWith('<region>'))
      .map((line) =>
        Object.fromEntries([...line.matchAll(/(\w+)=(\S+)/g)].map(([, key, value]) => [key as string, value])),
      )
    for (const { sample = '' } of regions) {
      const { audio } = await decodeFile(entries[sample] as Uint8Array, sample)
      expect(audio.channels[0]?.some((value) => Math.abs(value) > 0.001)).toBe(true)
    }
    expect(Object.keys(entries)).toHaveLength(regions.length + 1)
    return regions
  }
  const pads = await instrument('All pads as an instrument')
  expect(pads.length).toBeGreaterThan(2)
  expect(pads.map(({ lokey, hikey, pitch_keycenter }) => [lokey, hikey, pitch_keycenter])).toEqual(
    pads.map((_, n) => [String(36 + n), String(36 + n), String(36 + n)]),
  )
  await page.keyboard.press('p')
  await page.getByRole('tab', { name: 'Keys' }).click()
  await page.getByRole('button', { name: 'Put what is on the strip over the keys' }).click()
  await page.keyboard.press('o')
  const keys = await instrument('As an instrument')
  // no key is left out, and none is played twice
  const played = keys.flatMap(({ lokey, hikey }) =>
    Array.from({ length: Number(hikey) - Number(lokey) + 1 }, (_, n) => Number(lokey) + n),
  )
  expect(played).toEqual(Array.from({ length: played.length }, (_, n) => (played[0] as number) + n))
  for (const { lokey, hikey, pitch_keycenter } of keys) {
    expect(Number(pitch_keycenter)).toBeGreaterThanOrEqual(Number(lokey))
    expect(Number(pitch_keycenter)).toBeLessThanOrEqual(Number(hikey))
  }
})

import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Download, Page } from '@playwright/test'
import { unzipSync } from 'fflate'
import papaparse from 'papaparse'
import { frameCount, writeWav } from '../src/core'
import { makeLoop } from '../src/core/testing/loops'
import { sine } from '../src/core/testing/signals'
import { decodeFile } from '../src/host/decodeFile'
import { expect, expectOpenToAll, openSession, test, type } from './bench'
import { written } from './stored'

let crate: string
test.beforeAll(() => {
  crate = join(mkdtempSync(join(tmpdir(), 'zumbet-batch-')), 'crate')
  mkdirSync(join(crate, 'ropes', 'deep'), { recursive: true })
  const loop = (name: string, bpm: number, seed: number) =>
    writeFileSync(
      join(crate, name),
      writeWav(makeLoop({ seed, style: 'backbeat', bpm, bars: 2 }).audio, { format: '16' }),
    )
  loop('ropes/winch.wav', 128, 6)
  loop('ropes/deep/winch.wav', 100, 7)
  loop('chains.wav', 110, 8)
  writeFileSync(join(crate, 'buoy.wav'), writeWav(sine({ hz: 440, seconds: 1.5 }), { format: '24' }))
  writeFileSync(join(crate, 'torn.wav'), 'RIFFxxxxWAVEfmt ')
})
test.afterAll(() => rmSync(crate, { recursive: true, force: true }))

const list = (page: Page) => page.getByRole('list', { name: 'Files of the batch' })
const line = (page: Page, name: string) => list(page).getByRole('listitem').filter({ hasText: name })
const make = (page: Page, count: number) => page.getByRole('button', { name: new RegExp(`^Make ${count} file`) })
const status = (page: Page, of: string) => page.getByRole('region', { name: of, exact: true }).getByRole('status')

async function openBatch(page: Page) {
  await openSession(page)
  await page.getByRole('tab', { name: 'Found' }).click()
  await page.getByLabel('Folder of sounds').setInputFiles(crate)
  await page.keyboard.press('o')
  await page.getByRole('radio', { name: 'many files' }).click()
  await expect(list(page).getByRole('listitem')).toHaveCount(5)
  await expect(status(page, 'What will be done')).not.toContainText('still being read')
}

async function filesIn(download: Download) {
  const entries = Object.entries(unzipSync(readFileSync((await download.path()) as string)))
  const files = new Map<string, { frames: number; sampleRate: number; bits: number | undefined }>()
  for (const [name, bytes] of entries) {
    if (name.endsWith('.csv')) continue
    const { audio, depth } = await decodeFile(bytes, name)
    files.set(name, { frames: frameCount(audio), sampleRate: audio.sampleRate, bits: depth?.bits })
  }
  const csv = new TextDecoder().decode(entries.find(([name]) => name === 'summary.csv')?.[1])
  const rows = papaparse.parse<Record<string, string>>(csv, { header: true, skipEmptyLines: true }).data
  return { files, rows }
}

test('many files come to one tempo: told before, changed line by line, then in one zip with a summary', async ({
  page,
}) => {
  await openBatch(page)
  await type(page.getByRole('spinbutton', { name: 'Tempo of all' }), '120')
  await expect(status(page, 'What will be done')).toContainText('3 of 5 files')
  await expect(line(page, 'torn.wav')).toContainText('cut off')
  await expect(line(page, 'buoy.wav')).toContainText('no clear tempo')
  await expect(line(page, 'chains.wav')).toContainText('0.917 ×')
  // one is left out, one gets a stretch of its own
  await line(page, 'chains.wav').getByRole('checkbox').uncheck()
  await line(page, 'buoy.wav').click()
  await type(page.getByRole('spinbutton', { name: 'Stretch of buoy.wav' }), '2')
  await page.getByRole('combobox', { name: 'Method of buoy.wav' }).selectOption('Locked vocoder')
  await expect(status(page, 'What will be done')).toContainText('3 of 5 files')
  await expect(status(page, 'What will be done')).toContainText('1 left out')
  const zip = page.waitForEvent('download')
  await make(page, 3).click()
  const { files, rows } = await filesIn(await zip)
  expect([...files.keys()].sort()).toEqual(['crate/buoy.wav', 'crate/ropes/deep/winch.wav', 'crate/ropes/winch.wav'])
  expect(files.get('crate/buoy.wav')).toEqual({ frames: 2 * 1.5 * 48_000, sampleRate: 48_000, bits: 24 })
  // two bars of four at 120
  for (const name of ['crate/ropes/winch.wav', 'crate/ropes/deep/winch.wav']) {
    const { frames, sampleRate } = files.get(name) as { frames: number; sampleRate: number }
    expect(frames / sampleRate).toBeCloseTo(4, 1)
  }
  expect(rows.map(({ status: came }) => came)).toEqual(['done', 'done', 'done'])
  const severities = rows.map(({ severity }) => Number(severity || 0))
  expect(severities).toEqual([...severities].sort((a, b) => b - a))
  expect(rows.find(({ file }) => file?.endsWith('buoy.wav'))).toMatchObject({ stretch: '2', method: 'vocoder' })
  await expect(status(page, 'The batch')).toContainText('all 3 done')
})

test('a batch goes on after a reload where it was, can rest, and one of its files goes to the Bench', async ({
  page,
}) => {
  await openBatch(page)
  await page.getByRole('radio', { name: 'stretch', exact: true }).click()
  await type(page.getByRole('spinbutton', { name: 'Stretch of all' }), '1.5')
  await make(page, 4).click()
  await page.getByRole('button', { name: 'Let it rest' }).click()
  await expect(status(page, 'The batch')).toContainText('rests')
  await written(page, '"paused":true', { table: 'batch' })
  await page.reload()
  await expect(status(page, 'The batch')).toContainText('rests')
  await page.getByRole('button', { name: 'Go on' }).click()
  // in the middle of the work
  await written(page, '"paused":false', { table: 'batch' })
  await page.reload()
  await expect(status(page, 'The batch')).toContainText('all 4 done')
  const zip = page.waitForEvent('download')
  await page.getByRole('button', { name: 'One zip' }).click()
  const { files } = await filesIn(await zip)
  expect(files.size).toBe(4)
  expect(files.get('crate/buoy.wav')?.frames).toBe(1.5 * 1.5 * 48_000)
  await line(page, 'buoy.wav').click()
  await page.getByRole('button', { name: 'Hear what was made of buoy.wav' }).click()
  await expect(page.getByRole('button', { name: 'Stop buoy.wav' })).toBeVisible()
  await page.getByRole('button', { name: 'Take buoy.wav to the Bench' }).click()
  await expect(page.getByRole('main').getByRole('heading', { name: 'buoy', exact: true })).toBeVisible()
  await expect(page.getByRole('spinbutton', { name: 'Stretch', exact: true })).toHaveAttribute('aria-valuenow', '1.5')
})

test('a folder takes the files in folders as they lay in, and nothing that lies there is written over', async ({
  page,
}) => {
  // the picker cannot be shown here: a folder of the browser's own stands in for one of the computer's
  await page.addInitScript(() => {
    window.showDirectoryPicker = async () => {
      const folder = await (await navigator.storage.getDirectory()).getDirectoryHandle('brought', { create: true })
      const crate = await folder.getDirectoryHandle('crate', { create: true })
      const stream = await (await crate.getFileHandle('buoy.wav', { create: true })).createWritable()
      await stream.write('an older one')
      await stream.close()
      return folder
    }
  })
  await openBatch(page)
  await page.getByRole('radio', { name: 'length', exact: true }).click()
  await type(page.getByRole('spinbutton', { name: 'Length of all' }), '2')
  await page.getByRole('combobox', { name: 'Method of all' }).selectOption('Waveform match')
  await page.getByRole('checkbox', { name: 'Measure what was done to each' }).uncheck()
  await page.getByRole('radio', { name: 'FLAC' }).click()
  await page.getByRole('radio', { name: 'a folder' }).click()
  await make(page, 4).click()
  await expect(status(page, 'The batch')).toContainText('all 4 done')
  const lying = async () =>
    page.evaluate(async () => {
      const sizes: Record<string, number> = {}
      const walk = async (folder: FileSystemDirectoryHandle, before: string) => {
        for await (const [name, handle] of folder as unknown as AsyncIterable<[string, FileSystemHandle]>)
          if (handle.kind === 'directory') await walk(handle as FileSystemDirectoryHandle, `${before}${name}/`)
          else
            try {
              sizes[before + name] = (await (handle as FileSystemFileHandle).getFile()).size
            } catch {
              // it was being put in its place, and lay beside it just now
            }
      }
      await walk(await (await navigator.storage.getDirectory()).getDirectoryHandle('brought'), '')
      return sizes
    })
  await expect
    .poll(async () => Object.keys(await lying()).sort())
    .toEqual([
      'crate/buoy.flac',
      'crate/buoy.wav',
      'crate/chains.flac',
      'crate/ropes/deep/winch.flac',
      'crate/ropes/winch.flac',
      'summary.csv',
    ])
  expect((await lying())['crate/buoy.wav']).toBe('an older one'.length)
  // once more: what was made before stays
  await page.getByRole('button', { name: 'New batch' }).click()
  await make(page, 4).click()
  await expect(status(page, 'The batch')).toContainText('all 4 done')
  await expect.poll(async () => Object.keys(await lying())).toContain('crate/buoy 2.flac')
  // a folder that takes no more loses nothing: what was made is there to be saved elsewhere
  await page.getByRole('button', { name: 'New batch' }).click()
  await page.evaluate(() => {
    FileSystemFileHandle.prototype.createWritable = async () => {
      throw new DOMException('The disk was taken out.', 'NotFoundError')
    }
  })
  await make(page, 4).click()
  await expect(status(page, 'The batch')).toContainText('all 4 done')
  await expect(status(page, 'The batch')).toContainText('4 not saved yet')
  await expect(page.getByText('The disk was taken out').first()).toBeVisible()
  const zip = page.waitForEvent('download')
  await page.getByRole('button', { name: 'One zip' }).click()
  expect((await filesIn(await zip)).files.size).toBe(4)
})

test('nothing of a batch is in the way of anyone, by axe’s rules, in either theme', async ({ page }) => {
  await openBatch(page)
  await line(page, 'buoy.wav').click()
  await expectOpenToAll(page)
  await make(page, 3).click()
  await expect(status(page, 'The batch')).toContainText('all 3 done')
  await line(page, 'chains.wav').click()
  await expectOpenToAll(page)
})

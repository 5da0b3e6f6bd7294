import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Page } from '@playwright/test'
import { writeWav } from '../src/core'
import { makeLoop } from '../src/core/testing/loops'
import { noise, sine } from '../src/core/testing/signals'
import { choose, expect, firstSound, heard, listen, openSession, output, test } from './bench'

let crate: string

test.beforeAll(() => {
  crate = join(mkdtempSync(join(tmpdir(), 'zumbet-crate-')), 'crate')
  mkdirSync(join(crate, 'ropes'), { recursive: true })
  mkdirSync(join(crate, 'sea', 'deep'), { recursive: true })
  const loop = makeLoop({ seed: 6, style: 'backbeat', bpm: 128, bars: 2 })
  writeFileSync(join(crate, 'ropes', 'a winch.wav'), writeWav(loop.audio, { format: '16' }))
  writeFileSync(join(crate, 'ropes', 'b tone.wav'), writeWav(sine({ hz: 440, seconds: 2 }), { format: '16' }))
  writeFileSync(join(crate, 'sea', 'rain.wav'), writeWav(noise({ seconds: 3, seed: 8 }), { format: '16' }))
  cpSync(join(crate, 'ropes', 'b tone.wav'), join(crate, 'sea', 'deep', 'tone again.wav'))
  writeFileSync(join(crate, 'sea', 'torn.wav'), readFileSync(join(crate, 'sea', 'rain.wav')).subarray(0, 9000))
  writeFileSync(join(crate, 'tides.txt'), 'low at six')
})
test.afterAll(() => rmSync(crate, { recursive: true, force: true }))

const found = (page: Page) => page.getByRole('list', { name: 'Found files' })
const row = (page: Page, name: string) => found(page).getByRole('listitem').filter({ hasText: name })
const sources = (page: Page) => page.getByRole('list', { name: 'Sources' }).getByRole('listitem')

async function openFolder(page: Page) {
  await page.getByRole('tab', { name: 'Found' }).click()
  await page.getByLabel('Folder of sounds').setInputFiles(crate)
  await expect(found(page).getByRole('listitem')).toHaveCount(5)
}

test('a folder is listed at once and read in the background: twins recognised, bad ones named, the rest kept', async ({
  page,
}) => {
  await openSession(page)
  await openFolder(page)
  await expect(page.getByText('1 other file left out').first()).toBeVisible()
  await expect(row(page, 'a winch.wav')).toContainText('hits')
  await expect(row(page, 'a winch.wav')).toContainText('128')
  await expect(row(page, 'rain.wav')).toContainText('noise')
  await expect(row(page, 'tone again.wav')).toContainText('same as b tone.wav')
  await expect(row(page, 'torn.wav')).toContainText('cut off')
  await expect(page.getByRole('progressbar', { name: 'Files read' })).toHaveCount(0)

  await page.getByLabel('Filter by text').fill('sea')
  await expect(found(page).getByRole('listitem')).toHaveCount(3)
  await page.getByLabel('Filter by text').fill('')
  await page.getByLabel('Kind').selectOption('noise')
  await expect(found(page).getByRole('listitem')).toHaveCount(1)
  await page.getByLabel('Kind').selectOption('')
  await page.getByLabel('Order').selectOption('length')
  await expect(found(page).getByRole('listitem').first()).toContainText('b tone')

  // what was found out is there again after a reload, and nothing of it came into the session
  await page.reload()
  await expect(row(page, 'a winch.wav')).toContainText('128')
  await expect(row(page, 'torn.wav')).toContainText('cut off')
  await page.getByRole('tab', { name: 'Shelf' }).click()
  await expect(sources(page)).toHaveCount(11)
})

test('a folder dropped on the window is walked through, folders in it too, and listed; it brings nothing in', async ({
  page,
}) => {
  await openSession(page)
  const cdp = await page.context().newCDPSession(page)
  const data = { items: [], files: [crate], dragOperationsMask: 1 }
  const drag = (type: 'dragEnter' | 'dragOver' | 'drop') =>
    cdp.send('Input.dispatchDragEvent', { type, x: 600, y: 400, data })
  // as a hand does: it lets go where the page says that it may, over what stays where it is
  await expect(page.getByRole('button', { name: 'Play' })).toBeEnabled()
  await drag('dragEnter')
  await expect(page.getByText('Let go: files come onto the shelf')).toBeVisible()
  await drag('dragOver')
  await drag('drop')
  await expect(found(page).getByRole('listitem')).toHaveCount(5)
  await expect(row(page, 'tone again.wav').getByRole('button').first()).toHaveAttribute(
    'title',
    'crate/sea/deep/tone again.wav',
  )
  await expect(row(page, 'a winch.wav')).toContainText('128')
  await page.getByRole('tab', { name: 'Shelf' }).click()
  await expect(sources(page)).toHaveCount(11)
})

test('arrow keys walk the list, each sound is heard, and Enter takes one in', { tag: '@listens' }, async ({ page }) => {
  await openSession(page)
  await openFolder(page)
  await expect(page.getByRole('progressbar', { name: 'Files read' })).toHaveCount(0)
  await row(page, 'a winch.wav').getByRole('button').first().click()
  await listen(page, 0.3)
  await page.keyboard.press('ArrowDown')
  await expect(row(page, 'b tone.wav').getByRole('button').first()).toBeFocused()
  await listen(page, 0.8)
  const samples = await listen(page, 0.5)
  expect(firstSound(samples)).toBeGreaterThanOrEqual(0)
  // the tone of the second file is what goes out
  let crossings = 0
  for (let i = 1; i < samples.length; i++)
    if ((samples[i - 1] as number) < 0 && (samples[i] as number) >= 0) crossings++
  const { sampleRate } = await heard(page, 1)
  expect((crossings / samples.length) * sampleRate).toBeGreaterThan(430)
  expect((crossings / samples.length) * sampleRate).toBeLessThan(450)

  await page.keyboard.press('Enter')
  await page.getByRole('tab', { name: 'Shelf' }).click()
  await expect(sources(page)).toHaveCount(12)
  await expect(page.getByRole('main').getByRole('heading', { name: 'b tone' })).toBeVisible()
  await page.keyboard.press('Control+z')
  await expect(sources(page)).toHaveCount(11)
})

test('an audition fitted to the session starts on the beat of what plays, and takes nothing from it', {
  tag: '@listens',
}, async ({ page }) => {
  await openSession(page)
  await openFolder(page)
  await expect(page.getByRole('progressbar', { name: 'Files read' })).toHaveCount(0)
  await page.getByLabel('at 96 BPM').check()
  await expect(row(page, 'a winch.wav')).toContainText('× 1.33')
  await page.getByLabel('Auditions start').selectOption('beat')
  await page.keyboard.press('0')
  await page.getByRole('button', { name: 'Play' }).click()
  await listen(page, 1)
  const before = await output(page)
  await row(page, 'rain.wav').getByRole('button').first().click()
  await listen(page, 2.5)
  const samples = (await listen(page, 0.2)).map(Math.abs)
  expect(Math.max(...samples)).toBeGreaterThan(0.01)
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  const { underruns } = await output(page)
  console.log(`    audition over playback: ${underruns - before.underruns} underruns`)
  await page.getByRole('tab', { name: 'Shelf' }).click()
  await expect(sources(page)).toHaveCount(11)
})

test('a recording from the simulated input becomes a source', { tag: '@listens' }, async ({ page }) => {
  await openSession(page)
  await page.getByRole('button', { name: 'Record', exact: true }).click()
  await page.getByLabel('Input', { exact: true }).selectOption({ label: 'Simulated input: tide gauge' })
  await page.getByRole('button', { name: 'Start recording' }).click()
  await expect(page.getByText(/^0:01\.\d/)).toBeVisible()
  await page.getByRole('button', { name: 'Stop and keep' }).click()
  await expect(page.getByRole('main').getByRole('heading', { name: /^Recording 20/ })).toBeVisible()
  await expect(page.getByRole('group', { name: 'Source facts' })).toContainText('WAV 32-bit float')
  await page.keyboard.press('Escape')
  await choose(page, 'Rope winch')
})

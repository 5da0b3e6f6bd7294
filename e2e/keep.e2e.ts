import { readFileSync } from 'node:fs'
import { chromium } from '@playwright/test'
import { choose, drawn, expect, exportNow, openBench, openSession, pickMethod, test, type } from './bench'
import { written } from './stored'

const now = (page: import('@playwright/test').Page, name: string) =>
  page.getByRole('spinbutton', { name, exact: true }).getAttribute('aria-valuenow')

test('a reload comes back as it was: sounds, target, variants, selection, lane, theme', async ({ page }) => {
  await openBench(page)
  await page.getByLabel('Sound files').setInputFiles('e2e/fixtures/gull.flac')
  await choose(page, 'gull')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '3.21')
  await pickMethod(page, 'Add a variant', 'Varispeed')
  await page.keyboard.press('3')
  await type(page.getByRole('spinbutton', { name: 'Grain', exact: true }), '33')
  // what is heard is in sight
  const lane = page.getByRole('img', { name: 'Waveform of variant C' })
  const box = (await lane.boundingBox()) as { x: number; y: number; width: number; height: number }
  await page.mouse.move(box.x + 100, box.y + 20)
  await page.mouse.down()
  await page.mouse.move(box.x + 300, box.y + 20, { steps: 5 })
  await page.mouse.up()
  const [start, end] = [await now(page, 'Loop start'), await now(page, 'Loop end')]
  await page.getByRole('button', { name: 'Change to Paper' }).click()
  await page.getByRole('button', { name: 'Match loudness' }).click()
  const before = await exportNow(page, 'C')

  await page.reload()
  await expect(page.getByRole('main').getByRole('heading', { name: 'gull', exact: true })).toBeVisible()
  await drawn(page)
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'paper')
  expect(await now(page, 'Stretch')).toBe('3.21')
  expect(await now(page, 'Grain')).toBe('33')
  expect([await now(page, 'Loop start'), await now(page, 'Loop end')]).toEqual([start, end])
  await expect(page.getByRole('button', { name: 'Match loudness' })).toHaveAttribute('aria-pressed', 'false')
  await expect(page.getByRole('button', { name: 'Hear variant C' })).toHaveAttribute('aria-pressed', 'true')
  await expect(page.getByRole('button', { name: 'Hear variant D, Varispeed' })).toBeVisible()
  const after = await exportNow(page, 'C')
  expect(after.bytes.equals(before.bytes)).toBe(true)
})

test('what the page had no time to write before a reload is there all the same', async ({ page }) => {
  await openSession(page)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2.5')
  await written(page, '"stretch":2.5')
  // from here on nothing that is begun ever ends, as where a page is gone before its write was done
  await page.evaluate(() => {
    IDBObjectStore.prototype.put = function (this: IDBObjectStore) {
      return this.transaction.db.transaction(this.name).objectStore(this.name).get('none')
    }
    IDBTransaction.prototype.commit = () => undefined
  })
  await type(page.getByRole('spinbutton', { name: 'Semitones' }), '3')
  await page.getByRole('button', { name: 'Change to Paper' }).click()
  await page.reload()
  await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
  expect([await now(page, 'Stretch'), await now(page, 'Semitones')]).toEqual(['2.5', '3'])
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'paper')
  await written(page, '"pitchSemitones":3')
  // and it is written now, not found again
  await expect.poll(() => page.evaluate(() => localStorage.length)).toBe(0)
})

test('a killed browser comes back as it was, too', async ({ baseURL }, info) => {
  const profile = info.outputPath('profile')
  const options = {
    ...info.project.use.launchOptions,
    viewport: { width: 1280, height: 800 },
    baseURL: baseURL as string,
  }
  const first = await chromium.launchPersistentContext(profile, options)
  const page = await first.newPage()
  await openBench(page, 'Harbour bell')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '7.5')
  await written(page, '"stretch":7.5')
  // the process is shot, not closed: nothing gets to say goodbye
  const session = await first.browser()?.newBrowserCDPSession()
  await session?.send('Browser.crash').catch(() => undefined)
  await first.close().catch(() => undefined)

  const second = await chromium.launchPersistentContext(profile, options)
  const again = await second.newPage()
  await again.goto('/')
  await expect(again.getByRole('main').getByRole('heading', { name: 'Harbour bell' })).toBeVisible()
  expect(await now(again, 'Stretch')).toBe('7.5')
  await second.close()
})

test('undo and redo walk through all edits and back', async ({ page }) => {
  await openSession(page)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2')
  await type(page.getByRole('spinbutton', { name: 'Semitones' }), '-5')
  await page.getByRole('radio', { name: 'keep' }).click()
  await pickMethod(page, 'Method of variant A', 'Varispeed')
  for (let n = 0; n < 4; n++) await page.keyboard.press('Control+z')
  expect([await now(page, 'Stretch'), await now(page, 'Semitones')]).toEqual(['1.25', '0'])
  await expect(page.getByRole('radio', { name: 'move' })).toHaveAttribute('aria-checked', 'true')
  await expect(page.getByRole('button', { name: 'Hear variant A, Attack splice' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toBeDisabled()
  for (let n = 0; n < 4; n++) await page.keyboard.press('Control+Shift+z')
  expect([await now(page, 'Stretch'), await now(page, 'Semitones')]).toEqual(['2', '-5'])
  await expect(page.getByRole('button', { name: 'Hear variant A, Varispeed' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Redo', exact: true })).toBeDisabled()
})

test('the main job, from a file to a file, without touching the mouse', async ({ page }) => {
  await openSession(page)
  const tabTo = async (check: () => Promise<boolean>) => {
    for (let n = 0; n < 90; n++) {
      if (await check()) return
      await page.keyboard.press('Tab')
    }
    throw new Error('not reached by Tab')
  }
  const focused = (name: string) => () =>
    page.evaluate((label) => {
      const element = document.activeElement
      return (
        element?.getAttribute('aria-label') === label ||
        (element?.tagName === 'BUTTON' && element.textContent?.trim() === label)
      )
    }, name)
  await tabTo(() => page.evaluate(() => document.activeElement?.getAttribute('data-source') === 'rope-winch'))
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('ArrowDown')
  await expect(page.getByRole('main').getByRole('heading', { name: 'Harmonium' })).toBeVisible()
  // who walks the shelf hears it
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  await page.keyboard.press('Space')
  await drawn(page)
  await tabTo(focused('Stretch'))
  await page.keyboard.type('1.5')
  await page.keyboard.press('Enter')
  await page.keyboard.press('2')
  await page.keyboard.press('Space')
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  await page.keyboard.press('Space')
  await drawn(page)
  await tabTo(focused('Export B'))
  const waiting = page.waitForEvent('download')
  await page.keyboard.press('Enter')
  const download = await waiting
  expect(download.suggestedFilename()).toBe('Harmonium_x1.5_layered.wav')
  expect(readFileSync((await download.path()) as string).length).toBeGreaterThan(1e6)
})

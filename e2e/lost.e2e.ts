import { readFileSync, writeFileSync } from 'node:fs'
import { chromium, type Page } from '@playwright/test'
import { zipSync } from 'fflate'
import { writeWav } from '../src/core'
import { CALL, choose, drawn, expect, exportNow, openSession, test, type } from './bench'
import { breakRow, storedRows, storedText, written } from './stored'

const stretch = (page: Page) =>
  page.getByRole('spinbutton', { name: 'Stretch', exact: true }).getAttribute('aria-valuenow')
const notice = (page: Page, text: string | RegExp) => page.getByRole('region', { name: 'Notices' }).getByText(text)
const state = (page: Page) => page.getByRole('status', { name: 'Session state' })

async function bringInCall(page: Page) {
  await openSession(page)
  await page.getByLabel('Sound files').setInputFiles(CALL.file)
  await choose(page, 'gull')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '3.21')
  await written(page, '"stretch":3.21')
}

async function isBack(page: Page) {
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('3.21')
}

/** One of each sort of trouble that once wiped everything; `npm run endure` tries every row in fifty ways. */
const DAMAGES: readonly (readonly [string, string, readonly (string | number)[], string])[] = [
  ['outlooks', 'an unknown word', ['outlook', 'theme'], 'text'],
  ['outlooks', 'a view that is no number', ['outlook', 'switchMs'], 'NaN'],
  ['outlooks', 'no outlook at all', ['outlook'], 'null'],
  ['sessions', 'a rate that is not whole', ['session', 'sources', 10, 'facts', 'sampleRate'], '0.5'],
  ['sessions', 'a broken neighbour', ['session', 'sources', 0], 'null'],
  ['sessions', 'a target out of range', ['session', 'sources', 0, 'target', 'stretch'], '1e308'],
  ['sessions', 'an unknown method', ['session', 'sources', 0, 'variants', 0, 'methodId'], 'text'],
  ['sessions', 'fields of another version', ['session', 'tide clock'], 'object'],
]

test('a session outlives what once wiped it', async ({ page }) => {
  await bringInCall(page)
  for (const [table, name, path, wrong] of DAMAGES)
    await test.step(name, async () => {
      await breakRow(page, { table, key: 'current', path }, wrong)
      await isBack(page)
      await expect(page.getByRole('button', { name: 'Play' })).toBeEnabled()
    })
})

test('a session that cannot be read is kept aside, offered as a file, and its sounds stay', async ({ page }) => {
  await bringInCall(page)
  const before = (await storedRows(page)).contents
  expect(before).toHaveLength(1)
  await breakRow(page, { table: 'sessions', key: 'current', path: ['session', 'sources'] }, 'text')
  await expect(notice(page, /could not be read/)).toBeVisible()
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Save it as a file' }).click()
  const saved = JSON.parse(readFileSync((await (await waiting).path()) as string, 'utf8'))
  expect(saved).toMatchObject({ sources: 'tide', bpm: 96 })
  // also after the next visit, with the demo in its place
  await page.reload()
  await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
  await page.getByRole('button', { name: 'Session', exact: true }).click()
  await expect(page.getByRole('region', { name: 'Kept aside' })).toContainText('could not be read')
})

test('a newer session is shown and never written over', async ({ page }) => {
  await bringInCall(page)
  await breakRow(page, { table: 'sessions', key: 'current', path: ['session', 'version'] }, '99')
  await choose(page, 'gull')
  await expect(state(page)).toContainText('newer Zumbet')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2')
  await expect(notice(page, /Nothing was changed/)).toBeVisible()
  await page.reload()
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('3.21')
  await expect(state(page)).toContainText('newer Zumbet')
  await page.getByRole('button', { name: 'Keep it aside, work on' }).click()
  await expect(state(page)).toHaveCount(0)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2.34')
  await written(page, '"stretch":2.34')
  await page.reload()
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('2.34')
})

test('two tabs: one writes, the other follows, takes over, and goes on when it is alone', async ({ page, context }) => {
  await bringInCall(page)
  const other = await context.newPage()
  await other.goto('/')
  await choose(other, 'gull')
  await expect(state(other)).toContainText('Another tab')
  expect(await stretch(other)).toBe('3.21')
  // it follows, and changes nothing
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2')
  await expect.poll(() => stretch(other)).toBe('2')
  await type(other.getByRole('spinbutton', { name: 'Stretch' }), '7')
  await expect.poll(() => stretch(other)).toBe('2')
  // taken over, the first one watches
  await state(other).getByRole('button', { name: 'Work here instead' }).click()
  await expect(state(other)).toHaveCount(0)
  await expect(state(page)).toContainText('Another tab')
  await type(other.getByRole('spinbutton', { name: 'Stretch' }), '5')
  await expect.poll(() => stretch(page)).toBe('5')
  // alone, it goes on by itself
  await other.close()
  await expect(state(page)).toHaveCount(0)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '4.56')
  await written(page, '"stretch":4.56')
  await page.reload()
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('4.56')
  await expect(page.getByRole('button', { name: 'Play' })).toBeEnabled()
})

test('a session goes into a file and comes back, beside what is here or in its place, by one step', async ({
  page,
}, info) => {
  await bringInCall(page)
  const before = await exportNow(page, 'A')
  const waiting = page.waitForEvent('download')
  await page.keyboard.press('Control+s')
  const download = await waiting
  expect(download.suggestedFilename()).toMatch(/\.zumbet$/)
  const file = info.outputPath('tide.zumbet')
  await download.saveAs(file)

  const rows = () => page.getByRole('list', { name: 'Sources' }).getByRole('listitem')
  await expect(rows()).toHaveCount(12)
  await page.getByRole('button', { name: 'Session', exact: true }).click()
  await page.getByRole('button', { name: 'Empty the shelf' }).click()
  await expect(rows()).toHaveCount(1) // says that it is empty
  await page.getByLabel('Session file').first().setInputFiles(file)
  const offered = page.getByRole('region', { name: 'Session file' })
  await expect(offered).toContainText('12 sources, 96 BPM')
  await offered.getByRole('button', { name: 'Replace all' }).click()
  await expect(rows()).toHaveCount(12)
  await choose(page, 'gull')
  await drawn(page)
  expect(await stretch(page)).toBe('3.21')
  expect((await exportNow(page, 'A')).bytes.equals(before.bytes)).toBe(true)

  await page.locator('#session-file').setInputFiles(file)
  await offered.getByRole('button', { name: 'Add all' }).click()
  await expect(rows()).toHaveCount(24)
  await page.keyboard.press('Control+z')
  await expect(rows()).toHaveCount(12)
  await page.reload()
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('3.21')
  // the sounds of the demo are not kept twice, and neither is the gull
  expect((await storedRows(page)).contents).toHaveLength(1)
})

test('a session file that is none, or holds too much, says so and changes nothing', async ({ page }, info) => {
  await openSession(page)
  const file = info.outputPath('bad.zumbet')
  for (const [bytes, text] of [
    [Buffer.from('not a zip'), /cannot be opened as a session/],
    [Buffer.from(zipSync({ 'a.txt': Buffer.from('x') })), /holds no session.json/],
    [Buffer.from(zipSync({ 'session.json': Buffer.from('{"sources": 5}') })), /no list of sources/],
  ] as const) {
    writeFileSync(file, bytes)
    await page.locator('#session-file').setInputFiles(file)
    await expect(notice(page, text)).toBeVisible()
  }
  await expect(page.getByRole('list', { name: 'Sources' }).getByRole('listitem')).toHaveCount(11)
})

test('bytes go when nothing names them any more, and not before', async ({ page }) => {
  await bringInCall(page)
  const kept = async () => (await storedRows(page)).contents?.length
  const remove = async () => {
    await page.getByRole('button', { name: /^gull/ }).focus()
    await page.keyboard.press('Delete')
  }
  expect(await kept()).toBe(1)
  await remove()
  await expect(notice(page, 'gull removed')).toBeVisible()
  await page.waitForTimeout(1500)
  expect(await kept()).toBe(1)
  await page.keyboard.press('Control+z')
  await choose(page, 'gull')
  await remove()
  await written(page, '"name":"gull"', { gone: true })
  await page.reload()
  await expect(page.getByRole('list', { name: 'Sources' }).getByRole('listitem')).toHaveCount(11)
  await expect.poll(kept).toBe(0)
})

test('what waits to be read comes in after a reload; a bad one blocks none behind it', async ({ page }, info) => {
  await openSession(page)
  const names: string[] = []
  for (let n = 0; n < 6; n++) {
    const samples = Float32Array.from({ length: 48_000 * 20 }, (_, i) => 0.3 * Math.sin(i / (17 + n)))
    const file = info.outputPath(`tone ${n}.wav`)
    writeFileSync(
      file,
      n === 1
        ? Buffer.from('RIFFxxxxWAVEfmt ')
        : writeWav({ sampleRate: 48_000, channels: [samples] }, { format: '32f' }),
    )
    names.push(file)
  }
  await page.getByLabel('Sound files').setInputFiles(names)
  // they are copied one after another: all have been when the last one is there
  const copied = async () => (await storedText(page, 'arrivals')) + (await storedText(page, 'sessions'))
  await expect.poll(copied, { intervals: [50] }).toContain('tone 5')
  await page.reload()
  for (const n of [0, 2, 5]) await expect(page.getByRole('button', { name: new RegExp(`^tone ${n}`) })).toBeVisible()
  await expect.poll(async () => (await storedRows(page)).arrivals?.length).toBe(0)
})

test('a browser that is killed comes back with what was there', async ({ baseURL }, info) => {
  const profile = info.outputPath('profile')
  const options = {
    ...info.project.use.launchOptions,
    viewport: { width: 1280, height: 800 },
    baseURL: baseURL as string,
  }
  let value = 2.34
  for (let n = 0; n < 3; n++) {
    const browser = await chromium.launchPersistentContext(profile, options)
    const page = await browser.newPage()
    if (n === 0) await bringInCall(page)
    else {
      await page.goto('/')
      await choose(page, 'gull')
      expect(Number(await stretch(page))).toBe(value)
    }
    value = 2.34 + n
    await type(page.getByRole('spinbutton', { name: 'Stretch' }), String(value))
    await written(page, `"stretch":${value}`)
    const session = await browser.browser()?.newBrowserCDPSession()
    await session?.send('Browser.crash').catch(() => undefined)
    await browser.close().catch(() => undefined)
  }
})

test('a full disk is told of, loses nothing, and what could not be written is written when there is room', async ({
  page,
}) => {
  // a disk that is full for as long as this says so; `npm run endure` has a real one
  await page.addInitScript(() => {
    const { put } = IDBObjectStore.prototype
    IDBObjectStore.prototype.put = function (...given) {
      if ((globalThis as { diskIsFull?: boolean }).diskIsFull) throw new DOMException('no room', 'QuotaExceededError')
      return put.apply(this, given)
    }
  })
  const full = (is: boolean) => page.evaluate((on) => Object.assign(globalThis, { diskIsFull: on }), is)
  await bringInCall(page)
  await full(true)
  await page.getByLabel('Sound files').setInputFiles('e2e/fixtures/gull.aiff')
  await expect(notice(page, /no room left/).first()).toBeVisible()
  await expect(page.getByRole('list', { name: 'Sources' }).getByRole('listitem')).toHaveCount(12)
  // what is there can be worked with, and is written as soon as there is room
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '2.5')
  await expect(state(page)).toContainText('The last change is not kept')
  await full(false)
  await expect(state(page)).toHaveCount(0, { timeout: 15_000 })
  await page.reload()
  await choose(page, 'gull')
  expect(await stretch(page)).toBe('2.5')
  expect((await storedRows(page)).contents).toHaveLength(1)
})

test('a view that fails takes nothing else down, and the session can be had as a file', async ({
  browser,
  baseURL,
}) => {
  const context = await browser.newContext({ baseURL: baseURL as string, acceptDownloads: true })
  const page = await context.newPage()
  await page.addInitScript(() => {
    // nothing can be drawn any more
    HTMLCanvasElement.prototype.getContext = () => {
      throw new Error('no context')
    }
  })
  await page.goto('/')
  const failed = page.getByRole('alert', { name: 'The lanes failed' })
  await expect(failed).toBeVisible()
  await expect(page.getByRole('button', { name: 'Play' })).toBeEnabled()
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '3')
  await expect(failed).toBeVisible()
  const waiting = page.waitForEvent('download')
  await failed.getByRole('button', { name: 'Save the session as a file' }).click()
  expect((await waiting).suggestedFilename()).toMatch(/\.zumbet$/)
  await context.close()
})

test('the browser is asked to keep what it holds when the first own file comes in, and not before', async ({
  page,
}) => {
  await page.addInitScript(() => {
    const asked = { times: 0 }
    Object.assign(globalThis, { persistAsked: asked })
    navigator.storage.persist = async () => {
      asked.times++
      return true
    }
  })
  const asked = () =>
    page.evaluate(() => (globalThis as never as { persistAsked: { times: number } }).persistAsked.times)
  await openSession(page)
  expect(await asked()).toBe(0)
  await page.getByLabel('Sound files').setInputFiles(CALL.file)
  await choose(page, 'gull')
  expect(await asked()).toBe(1)
})
